"""Performed pulls, and focus tables in and out."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema

from kalyptra.bench.api.answers import Problem
from kalyptra.bench.api.shots import open_shot
from kalyptra.core import NoTable, cleaned, fit_keys, focus_from_table, read_frame, timecode, write_focus

router = Router()


class Performed(Schema):
    """A pull that was performed: frames and metres, and by how many dioptres keys may be off it."""

    samples: list[tuple[float, float]]
    tolerance: float = 0.01


class PerformedKeys(Schema):
    keys: list[dict[str, Any]]
    error: float


@router.post("shots/{shot_id}/focus/fit", response={200: PerformedKeys, 422: Problem})
def fit_focus(request: HttpRequest, shot_id: int, performed: Performed) -> PerformedKeys | tuple[int, Problem]:
    """A performed pull without its tremor, as few keys."""
    rate = float(open_shot(request, shot_id).media.facts.rate.fraction)
    samples = [sample for sample in performed.samples if 0.02 <= sample[1] <= 100_000 and 0 <= sample[0] <= 10_000_000]
    if len(samples) > 200_000:
        return 422, Problem(error="This recording is too long. Perform it in parts.")
    try:
        fitted = fit_keys(*cleaned(samples, rate), max(1e-5, performed.tolerance))
    except ValueError:
        return 422, Problem(error="Nothing was recorded: the shot did not play. Hold the wheel while it plays.")
    return PerformedKeys(keys=[key.model_dump(mode="json") for key in fitted.keys], error=fitted.error)


class FocusFile(Schema):
    text: str


@router.post("shots/{shot_id}/focus/read", response={200: list[dict[str, Any]], 422: Problem})
def read_focus_file(request: HttpRequest, shot_id: int, file: FocusFile) -> Any:
    """The keys of a focus table. They are put in force by saving them."""
    open_shot(request, shot_id)
    try:
        return [key.model_dump(mode="json") for key in focus_from_table(file.text)]
    except NoTable as reason:
        return 422, Problem(error=f"This is no focus table: {reason}. The focus curve is unchanged.")


@router.get("shots/{shot_id}/focus.csv")
def focus_file(request: HttpRequest, shot_id: int) -> HttpResponse:
    shot = open_shot(request, shot_id)
    facts, setup = shot.media.facts, shot.setup
    frames = range(setup.footage.first, setup.footage.last + 1)
    lenses = (read_frame(setup, frame, (facts.width, facts.height)).lens for frame in frames)
    text = write_focus(
        (lens.frame, timecode(lens.frame, facts.rate), lens.focus, lens.near, lens.far, lens.f_number)
        for lens in lenses
    )
    response = HttpResponse(text, content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="shot-{shot.pk}-focus.csv"'
    return response
