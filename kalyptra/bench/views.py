"""The bench's pages, and files to take away."""

from __future__ import annotations

import mimetypes
from pathlib import Path

from django.contrib.auth.decorators import login_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET

from kalyptra.bench.api.renders import open_render
from kalyptra.bench.api.shots import open_shot
from kalyptra.bench.report import mark_lines, pull_lines
from kalyptra.bench.state import shot_state
from kalyptra.core import EVERYDAY_THINGS, PART_WORDS, rate_text, read_frame

STAGES = ("Footage", "Subjects", "Distance", "Lens", "Pull", "Finish", "Render")
KINDS = (
    ("pins", "Plane"), ("ground", "Ground"), ("corners", "Four corners"), ("line", "Stops"), ("round", "Round"),
    ("band", "Band"), ("backdrop", "Backdrop"),
)  # fmt: skip
"""Sources of distance that a press makes."""
HANDLES = (("x1", "out, time"), ("y1", "out, way"), ("x2", "in, time"), ("y2", "in, way"))
"""The four numbers of a free ease."""


@login_required
@require_GET
@ensure_csrf_cookie
def bench(request: HttpRequest, pk: int) -> HttpResponse:
    shot = open_shot(request, pk)
    if not shot.media.can_be_opened:
        return redirect(shot.project)
    context = {
        "shot": shot,
        "state": shot_state(shot).model_dump(mode="json"),
        "stages": STAGES,
        "kinds": KINDS,
        "things": EVERYDAY_THINGS,
        "handles": HANDLES,
        "look_parts": {part.value: words for part, words in PART_WORDS.items()},
    }
    return render(request, "bench/bench.html", context)


@login_required
@require_GET
def setup_file(request: HttpRequest, pk: int) -> HttpResponse:
    """The setup in force, as a file that `bin/kalyptra render` reads."""
    shot = open_shot(request, pk)
    text = shot.setup.model_dump_json(indent=2)  # whole: it is read where no store is
    response = HttpResponse(text, content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="shot-{shot.pk}-revision-{shot.head}.json"'
    return response


@login_required
@require_GET
def report(request: HttpRequest, pk: int) -> HttpResponse:
    """The camera report, to be printed."""
    shot = open_shot(request, pk)
    facts, setup = shot.media.facts, shot.setup
    size = facts.width, facts.height
    context = {
        "shot": shot,
        "setup": setup,
        "rate": rate_text(facts.rate.fraction),
        "f_number": f"{read_frame(setup, setup.footage.first, size).lens.f_number:.2g}",
        "marks": mark_lines(setup, size),
        "pulls": pull_lines(setup, size, facts.rate),
    }
    return render(request, "bench/report.html", context)


@login_required
@require_GET
def rendered_file(request: HttpRequest, pk: int) -> FileResponse:
    render = open_render(request, pk)
    if not render.file:
        raise Http404("this render has no file")
    suffix = Path(render.file.name or "").suffix
    name = f"{render.shot.title} {render.first}-{render.last}{suffix}"
    kind = mimetypes.types_map.get(suffix, "application/octet-stream")
    return FileResponse(render.file.open(), as_attachment=True, filename=name, content_type=kind)
