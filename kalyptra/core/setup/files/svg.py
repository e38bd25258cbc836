"""Outlines as SVG paths, one group a frame.

Source: W3C, Scalable Vector Graphics (SVG) 2; own facts are kept in `data-` attributes, which other programs ignore.
"""

from __future__ import annotations

import io
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from xml.etree import ElementTree
from xml.sax.saxutils import quoteattr

from svgelements import SVG, Close, CubicBezier, Line, Move, Path, QuadraticBezier, Shape

from kalyptra.core.setup.document.outline import Joins
from kalyptra.core.setup.files.size import MOST_POINTS
from kalyptra.core.setup.geometry.curve import Curve, Point

SPACE = "http://www.w3.org/2000/svg"
LINK = "{http://www.w3.org/1999/xlink}href"
MOST_BYTES = 16 << 20
MOST_ELEMENTS = 20_000
MOST_IN_ONE = 4000
"""Points of one outline."""
MOST_FRAME = 10_000_000


class NotOutlines(ValueError):
    """A file that holds no outlines. The text says why."""


@dataclass(frozen=True)
class DrawnOutline:
    """An outline at one frame, px of the source."""

    name: str
    joins: Joins
    curve: Curve


def write_svg(frames: Mapping[int, Sequence[DrawnOutline]], size: tuple[int, int]) -> str:
    """Write outlines; `size` is the clip's width and height in px."""
    width, height = size
    lines = [f'<svg xmlns="{SPACE}" width="{width}" height="{height}" viewBox="0 0 {width} {height}">']
    for frame in sorted(frames):
        lines.append(f'<g id="frame-{frame}" data-frame="{frame}">')
        lines += [_path_of(drawn, frame) for drawn in frames[frame]]
        lines.append("</g>")
    return "\n".join([*lines, "</svg>", ""])


def _path_of(drawn: DrawnOutline, frame: int) -> str:
    points = drawn.curve.points
    parts = [f"M{_pair(points[0].x, points[0].y)}"]
    for a, b in zip(points, [*points[1:], points[0]], strict=True):
        handles = _pair(a.x + a.after[0], a.y + a.after[1]), _pair(b.x + b.before[0], b.y + b.before[1])
        parts.append(f"C{handles[0]} {handles[1]} {_pair(b.x, b.y)}")
    attributes = {
        "id": f"frame-{frame}-{drawn.name}",
        "data-outline": drawn.name,
        "data-joins": drawn.joins.value,
        "data-points": " ".join(str(point.id) for point in points),
        "data-smooth": " ".join(str(int(point.smooth)) for point in points),
    }
    if any(point.feather_in or point.feather_out for point in points):
        attributes["data-feather"] = " ".join(_pair(point.feather_in, point.feather_out) for point in points)
    said = " ".join(f"{name}={quoteattr(value)}" for name, value in attributes.items())
    return f'<path {said} fill="none" stroke="black" d="{"".join(parts)}Z"/>'


def _pair(x: float, y: float) -> str:
    return f"{x:.4f},{y:.4f}"


def read_svg(text: str) -> dict[int | None, list[DrawnOutline]]:
    """Read outlines by frame; those in no group of a frame are under None.

    Paths and basic shapes are taken, with their transforms; every part of a path is an outline of its own, closed.

    Raises:
        NotOutlines: it is no SVG, or there is no outline in it.
    """
    if len(text) > MOST_BYTES:
        raise NotOutlines(f"the file is larger than {MOST_BYTES >> 20} MB")
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise NotOutlines("files with a document type of their own are not read")
    try:
        _check_size(ElementTree.fromstring(text))
        root = SVG.parse(io.StringIO(text), reify=True)
        by_frame: dict[int | None, list[DrawnOutline]] = {}
        points = 0
        for element in root.elements():
            if isinstance(element, Shape):
                frame = _frame_of(element.values)
                for curve in _curves_of(element):
                    points += len(curve.points)
                    if points > MOST_POINTS:
                        raise NotOutlines(f"it has more than {MOST_POINTS:,} points")
                    name = str(element.values.get("data-outline") or f"outline{len(by_frame.get(frame, ())) + 1}")
                    joins = element.values.get("data-joins")
                    joined = Joins(joins) if joins in set(Joins) else Joins.ADD
                    by_frame.setdefault(frame, []).append(DrawnOutline(name, joined, curve))
    except NotOutlines:
        raise
    except Exception as error:  # what a stranger's file makes a parser raise is no short list
        raise NotOutlines(f"it cannot be read as SVG: {error}") from error
    if not by_frame:
        raise NotOutlines("there is no outline in it")
    return by_frame


def _check_size(root: ElementTree.Element) -> None:
    """Refuse what would grow beyond reason: an element that is used again counts, with all in it, each time.

    Raises:
        NotOutlines: there are more elements than are taken, or one is used within itself.
    """
    named = {element.get("id"): element for element in root.iter() if element.get("id")}
    counts: dict[ElementTree.Element, int] = {}
    open_ones: set[ElementTree.Element] = set()

    def count(element: ElementTree.Element) -> int:
        if element in counts:
            return counts[element]
        if element in open_ones:
            raise NotOutlines("an element in it is used within itself")
        open_ones.add(element)
        total = 1 + sum(count(part) for part in element)
        if element.tag.rsplit("}", 1)[-1] == "use":
            used = named.get((element.get("href") or element.get(LINK) or "").lstrip("#"))
            total += 0 if used is None else count(used)
        if total > MOST_ELEMENTS:
            raise NotOutlines(f"it has more than {MOST_ELEMENTS:,} elements")
        open_ones.discard(element)
        counts[element] = total
        return total

    try:
        count(root)
    except RecursionError as error:
        raise NotOutlines("its elements are nested too deeply") from error


def _frame_of(values: Mapping[str, Any]) -> int | None:
    said = str(values.get("data-frame", ""))
    return int(said) if re.fullmatch(r"[0-9]{1,8}", said) and int(said) <= MOST_FRAME else None


def _curves_of(element: Any) -> Iterable[Curve]:
    path = Path(element)
    path.approximate_arcs_with_cubics()
    for part in path.as_subpaths():
        points = _points_of(list(Path(part)))
        if len(points) < 3:
            continue
        ids = _numbers(element.values.get("data-points"), len(points)) or [[float(i)] for i in range(len(points))]
        smooth = _numbers(element.values.get("data-smooth"), len(points)) or [[0.0]] * len(points)
        feather = _numbers(element.values.get("data-feather"), len(points)) or [[0.0, 0.0]] * len(points)
        yield Curve(
            points=tuple(
                Point(id=int(name[0]), x=x, y=y, before=before, after=after, smooth=bool(kind[0]), feather_in=soft[0],
                      feather_out=soft[-1])
                for name, kind, soft, (x, y, before, after) in zip(ids, smooth, feather, points, strict=True)
            )
        )  # fmt: skip


def _numbers(said: Any, count: int) -> list[list[float]] | None:
    if not said:
        return None
    parts = [[float(number) for number in part.split(",")] for part in str(said).split()]
    return parts if len(parts) == count else None


Corner = tuple[float, float, tuple[float, float], tuple[float, float]]


def _points_of(segments: Sequence[Any]) -> list[Corner]:
    """Corners with their handles; the last one meets the first."""
    if len(segments) > MOST_IN_ONE:
        raise NotOutlines(f"an outline has more than {MOST_IN_ONE:,} points")
    at: list[list[complex]] = []  # place, handle before, handle after
    for segment in segments:
        if isinstance(segment, Move):
            at.append([_place(segment.end)] * 3)
            continue
        end = _place(segment.end)
        if isinstance(segment, CubicBezier):
            first, second = _place(segment.control1), _place(segment.control2)
        elif isinstance(segment, QuadraticBezier):
            control = _place(segment.control)
            first, second = at[-1][0] + (control - at[-1][0]) * 2 / 3, end + (control - end) * 2 / 3
        elif isinstance(segment, Line | Close):
            first, second = at[-1][0], end
        else:
            raise NotOutlines(f"a part of kind {type(segment).__name__} is not read")
        at[-1][2] = first
        at.append([end, second, end])
    if len(at) > 1 and abs(at[-1][0] - at[0][0]) < 1e-3:
        at[0][1] = at[-1][1] if at[-1][1] != at[-1][0] else at[0][0]
        at.pop()
    # A closing line of no length leaves the last curve's end doubled.
    if len(at) > 1 and abs(at[-1][0] - at[0][0]) < 1e-3:
        at[0][1] = at[-1][1]
        at.pop()
    return [(p.real, p.imag, _offset(before, p), _offset(after, p)) for p, before, after in at]


def _place(point: Any) -> complex:
    return complex(float(point.x), float(point.y))


def _offset(handle: complex, place: complex) -> tuple[float, float]:
    return handle.real - place.real, handle.imag - place.imag
