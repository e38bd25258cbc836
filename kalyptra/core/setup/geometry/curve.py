"""A closed cubic spline as a document has it: points with handles."""

from __future__ import annotations

import operator
from functools import cached_property
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from kalyptra.core.setup.frozen import Frozen

Coordinate = Annotated[float, Field(ge=-200_000, le=200_000)]
"""Px of the source; far outside the picture, too."""
Width = Annotated[float, Field(ge=0, le=4000)]
"""Px of the source."""


class Point(Frozen):
    """A point of a closed cubic spline. Its id names it in every key of the outline.

    What is nothing is not written down: outlines have many points, and few of these have feathers of their own.
    """

    id: Annotated[int, Field(ge=0, le=1_000_000)]
    x: Coordinate
    y: Coordinate
    before: tuple[Coordinate, Coordinate] = (0.0, 0.0)
    """The handle towards the point before, as an offset."""
    after: tuple[Coordinate, Coordinate] = (0.0, 0.0)
    smooth: Annotated[bool, Field(exclude_if=operator.not_)] = False
    """Whether the handles are kept in line when one is moved."""
    feather_in: Annotated[Width, Field(exclude_if=operator.not_)] = 0.0
    """Added to the subject's own feather here, px."""
    feather_out: Annotated[Width, Field(exclude_if=operator.not_)] = 0.0


class Curve(Frozen):
    """A closed line of cubic segments."""

    points: Annotated[tuple[Point, ...], Field(min_length=3, max_length=4000)]

    @model_validator(mode="after")
    def _named_apart(self) -> Self:
        if len({point.id for point in self.points}) != len(self.points):
            raise ValueError("two points have the same id")
        return self

    @cached_property
    def ids(self) -> tuple[int, ...]:
        return tuple(point.id for point in self.points)

    @cached_property
    def rows(self) -> NDArray[np.float64]:
        """(points, 8): x, y, the handle before (x, y), the handle after (x, y), feather in, feather out."""
        return np.array(
            [(p.x, p.y, p.x + p.before[0], p.y + p.before[1], p.x + p.after[0], p.y + p.after[1],
              p.feather_in, p.feather_out) for p in self.points]
        )  # fmt: skip
