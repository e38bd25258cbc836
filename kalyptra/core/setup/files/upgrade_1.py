"""From version 1 to 2: a subject's one ellipse or rectangle becomes an outline with placement keys."""

from __future__ import annotations

from typing import Any

import numpy as np

from kalyptra.core.setup.geometry.shapes import ellipse, rounded_rectangle
from kalyptra.core.setup.geometry.warp import Matrix, numbers_of

Document = dict[str, Any]


def shapes_to_outlines(document: Document) -> Document:
    subjects = [{**subject, "matte": _outline_of(subject["matte"])} for subject in document.get("subjects", ())]
    return {**document, "version": 2, "subjects": subjects}


def _outline_of(matte: Document) -> Document:
    keys = matte["placement"]["keys"]
    first = keys[0]["value"]
    where = (first["x"], first["y"], first["width"], first["height"])
    turn = first.get("turn", 0.0)
    drawn = (
        ellipse(*where, turn=turn)
        if matte.get("form", "ellipse") == "ellipse"
        else rounded_rectangle(*where, corner=matte.get("corner", 0.35), turn=turn)
    )
    back = np.linalg.inv(_frame_of(first))
    placement = [{**key, "value": numbers_of(_frame_of(key["value"]) @ back)} for key in keys]
    shape = [{"frame": keys[0]["frame"], "value": drawn}]
    outline = {"id": "shape1", "shape": {"keys": shape}, "placement": {"keys": placement}}
    return {"kind": "outline", "outlines": [outline]}


def _frame_of(placement: Document) -> Matrix:
    """From a shape of one px size around 0 to where a placement puts it."""
    turn = np.radians(placement.get("turn", 0.0))
    c, s = np.cos(turn), np.sin(turn)
    w, h = placement["width"], placement["height"]
    return np.array([[w * c, -h * s, placement["x"]], [w * s, h * c, placement["y"]], [0, 0, 1]])
