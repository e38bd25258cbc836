"""The bench's API: setups and revisions, pictures, numbers over time, renders."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from typing import Annotated, Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, NinjaAPI, Schema, UploadedFile
from ninja.errors import AuthenticationError, HttpError, ValidationError
from ninja.security import django_auth
from pydantic import Field

from kalyptra.bench.distances import SurveyState, standing_of, surveyed, ways_of
from kalyptra.bench.mattes import MOST_MARKS, BadMarks, matte_at, matte_from_line, matte_from_marks, trust_of_mattes
from kalyptra.bench.outlines import (
    MOST_POINTS,
    BadDrawing,
    fitted,
    outlines_at,
    placed_outlines,
    read_drawing,
    svg_of,
    trust_of,
)
from kalyptra.bench.pictures import SIZES, frame_jpeg
from kalyptra.bench.state import ShotNow, ShotState, shot_now, shot_state
from kalyptra.config.errors import answer
from kalyptra.core import (
    ByHand,
    Channel,
    Curve,
    Format,
    FrameUnreadable,
    NoTable,
    NotKept,
    OnLoss,
    Refused,
    Setup,
    SetupError,
    Spot,
    Stroke,
    View,
    apply,
    cleaned,
    fit_keys,
    focus_from_table,
    focus_notes,
    iris_outline,
    marks_at,
    read_frame,
    speeds,
    timecode,
    write_focus,
)
from kalyptra.library import kept, revisions
from kalyptra.library.models import Project, Shot
from kalyptra.library.revisions import Done
from kalyptra.work import orders
from kalyptra.work.following import followed_outlines
from kalyptra.work.models import Follow, Render


def signed_in(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """What describes the API is for those who may use it."""

    def only_signed_in(request: HttpRequest, *arguments: Any, **named: Any) -> HttpResponse:
        if not request.user.is_authenticated:
            return answer(request, 401)
        return view(request, *arguments, **named)

    return only_signed_in


api = NinjaAPI(title="Kalyptra bench", version="1", auth=django_auth, docs_url=None, docs_decorator=signed_in)

FrameNumber = Annotated[int, Field(ge=0, le=10_000_000)]
"""A frame of any clip; whether this clip has it is looked at later."""

MOST_READINGS = 2000
MOST_COMMANDS = 500
"""In one change, or not saved yet."""


class Problem(Schema):
    """What happened, what was kept, and what to do."""

    error: str


class Conflict(Problem):
    """Somebody else's change came first, and stands in the way; `now` is the shot as it is."""

    now: ShotNow


class Whole(Schema):
    """A whole setup, as a file or another program has it."""

    base: int
    setup: dict[str, Any]


class Step(Schema):
    base: int


Commands = Annotated[list[ByHand], Field(max_length=MOST_COMMANDS)]


class Change(Schema):
    """Commands that were given on a revision.

    Attributes:
        token: names the change; sent twice, it is done once.
        over: carried out on that revision itself, whatever is in force by now.
    """

    base: int
    commands: Annotated[list[ByHand], Field(min_length=1, max_length=MOST_COMMANDS)]
    token: Annotated[str, Field(pattern=r"^[0-9a-z]{8,40}$")] | None = None
    over: bool = False


class Unsaved(Schema):
    """A setup that is not saved: a revision, and commands on it."""

    base: int
    commands: Commands = []

    def setup(self, shot: Shot) -> Setup:
        setup = revisions.setup_at(shot, self.base)
        return apply(setup, self.commands, revisions.clip_of(shot)) if self.commands else setup


class Draft(Unsaved):
    """It is looked at while something is dragged."""

    frame: FrameNumber
    view: View = View.RESULT
    size: int = SIZES[0]
    subject: str | None = None


class RenderOrder(Schema):
    first: FrameNumber
    last: FrameNumber
    made: Literal["result"] | Format = "result"
    subject: str = ""
    gaps: bool = False
    """Render although mattes are missing at some frames."""


class Gap(Problem):
    """Mattes are missing at some frames; asked again with `gaps`, it is rendered all the same."""

    gaps: bool = True


class RenderState(Schema):
    id: int
    revision: int
    first: int
    last: int
    frames: int
    frames_done: int
    frames_a_second: float
    seconds_left: float | None
    state: str
    words: str
    message: str
    file: bool
    made: str

    @staticmethod
    def resolve_file(render: Render) -> bool:
        return bool(render.file)


class Drawing(Schema):
    """A freehand line, px of the source."""

    points: Annotated[list[tuple[float, float]], Field(max_length=MOST_POINTS)]
    tolerance: float = 3.0


class OutlineFile(Schema):
    text: str
    frame: FrameNumber


class Mends(Schema):
    """The matte that a subject has at the frame in a revision."""

    base: int
    subject: str


class Marks(Schema):
    """Brush marks on a frame, and the stored matte that they mend, if any: named, or a subject's."""

    frame: FrameNumber
    marks: Annotated[list[Stroke], Field(max_length=MOST_MARKS)]
    under: str | None = None
    mends: Mends | None = None


class Line(Schema):
    """A line drawn around the subject."""

    curve: Curve


class Made(Schema):
    """A stored matte, and the one that it mends."""

    matte: str
    under: str | None = None


class FollowOrder(Schema):
    what: Literal["outlines", "mattes", "people", "plate", "feet"] = "outlines"
    subject: str = ""
    outlines: Annotated[list[str], Field(max_length=64)] = []
    start: FrameNumber
    end: FrameNumber
    on_loss: OnLoss = OnLoss.CARRY_ON
    spot: Spot | None = None


BroughtAs = Literal["matte-file", "plate-file", "map-file"]


class FollowState(Schema):
    id: int
    what: str
    subject: str
    state: str
    words: str
    message: str
    frames: int
    frames_done: int
    frame: int
    outlines: dict[str, Any]
    """Where they lie at the newest frame."""

    @staticmethod
    def resolve_outlines(follow: Follow) -> dict[str, Any]:
        if follow.state != Follow.State.RUNNING or follow.what != Follow.What.OUTLINES:
            return {}
        at = outlines_at(revisions.setup_at(follow.shot, follow.shot.head), follow.frame)
        at.setdefault(follow.subject, {}).update(placed_outlines(followed_outlines(follow), follow.frame))
        return at


@api.exception_handler(Refused)
def refused_command(request: HttpRequest, error: Refused) -> HttpResponse:
    return answer(request, 422, f"{error} Nothing was changed.")


@api.exception_handler(BadDrawing)
@api.exception_handler(BadMarks)
@api.exception_handler(revisions.NothingThere)
def refused_in_words(request: HttpRequest, error: Exception) -> HttpResponse:
    return answer(request, 422, str(error))


@api.exception_handler(ValidationError)
def not_understood(request: HttpRequest, error: ValidationError) -> HttpResponse:
    """Fields of a request that are missing or out of bounds."""
    lines = [f"{' > '.join(map(str, one['loc'][2:]))}: {one['msg']}".removeprefix(": ") for one in error.errors[:3]]
    return answer(request, 422, f"This request cannot be used: {'; '.join(lines)}. Nothing was changed.")


@api.exception_handler(AuthenticationError)
def unknown(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
    return answer(request, 401)


@api.exception_handler(Http404)
def not_there(request: HttpRequest, error: Http404) -> HttpResponse:
    return answer(request, 404)


@api.exception_handler(HttpError)
def not_taken(request: HttpRequest, error: HttpError) -> HttpResponse:
    return answer(request, error.status_code)


@api.exception_handler(NotKept)
def not_kept(request: HttpRequest, error: NotKept) -> HttpResponse:
    text = f"{str(error).capitalize()}. The setup is unchanged; follow the subject again, or recover the plate again."
    return api.create_response(request, {"error": text}, status=404)


@api.exception_handler(SetupError)
def refused(request: HttpRequest, error: SetupError) -> HttpResponse:
    text = f"This setup cannot be used: {error}. The saved one is unchanged."
    return api.create_response(request, {"error": text}, status=422)


@api.exception_handler(FrameUnreadable)
def unreadable(request: HttpRequest, error: FrameUnreadable) -> HttpResponse:
    return api.create_response(request, {"error": f"{error}."}, status=404)


@api.exception_handler(revisions.Stale)
def stale(request: HttpRequest, error: revisions.Stale) -> HttpResponse:
    text = (
        f"This shot was changed elsewhere, and your change does not go with that: {error.reason} "
        if error.reason
        else f"This shot was changed elsewhere: revision {error.shot.head} is in force. "
    )
    text += "Your change is still on this page; nothing was lost. Leave it out, or take back what came between."
    now = shot_now(error.shot).model_dump(mode="json")
    return api.create_response(request, {"error": text, "now": now}, status=409)


@api.exception_handler(revisions.NoRevision)
def no_revision(request: HttpRequest, error: revisions.NoRevision) -> HttpResponse:
    return api.create_response(request, {"error": str(error)}, status=404)


@api.get("shots/{shot_id}", response=ShotState)
def get_shot(request: HttpRequest, shot_id: int) -> ShotState:
    return shot_state(open_shot(request, shot_id))


@api.post("shots/{shot_id}/changes", response={200: ShotNow, 409: Conflict, 422: Problem})
def change(request: HttpRequest, shot_id: int, change: Change) -> ShotNow:
    """Carry commands out on what is in force now, as one change. On another revision than theirs that is no conflict by
    itself: only where a command is refused there, people are asked.
    """
    shot = open_shot(request, shot_id)
    done = revisions.change(shot.pk, change.base, change.commands, request.user, change.token or "", change.over)
    return shot_now(done)


@api.get("shots/{shot_id}/history", response=list[Done])
def history(request: HttpRequest, shot_id: int) -> list[Done]:
    """What was done, newest first: the revisions that lead to the one in force, at most a hundred."""
    return revisions.history(open_shot(request, shot_id))


@api.put("shots/{shot_id}/setup", response={200: ShotNow, 409: Conflict, 422: Problem})
def save(request: HttpRequest, shot_id: int, whole: Whole) -> ShotNow:
    """Put a whole setup in force, as a file or another program has it."""
    shot = open_shot(request, shot_id)
    setup = kept.read(whole.setup)
    check_range(setup, shot)
    return shot_now(revisions.save(shot.pk, whole.base, setup, request.user))


@api.post("shots/{shot_id}/undo", response={200: ShotNow, 409: Conflict, 422: Problem})
def undo(request: HttpRequest, shot_id: int, step: Step) -> ShotNow:
    return shot_now(revisions.undo(open_shot(request, shot_id).pk, step.base))


@api.post("shots/{shot_id}/redo", response={200: ShotNow, 409: Conflict, 422: Problem})
def redo(request: HttpRequest, shot_id: int, step: Step) -> ShotNow:
    return shot_now(revisions.redo(open_shot(request, shot_id).pk, step.base))


@api.get("shots/{shot_id}/frames/{revision}/{frame}.jpg")
def frame(
    request: HttpRequest, shot_id: int, revision: int, frame: int, view: View = View.RESULT,
    size: int = SIZES[-1], subject: str | None = None,
) -> HttpResponse:  # fmt: skip
    """A frame at a saved revision. It never changes, so the browser may keep it."""
    shot = open_shot(request, shot_id)
    setup = revisions.setup_at(shot, revision)
    response = picture(shot, setup, frame, view, size, subject)
    response["Cache-Control"] = "private, max-age=86400, immutable"
    return response


@api.post("shots/{shot_id}/draft.jpg")
def draft(request: HttpRequest, shot_id: int, draft: Draft) -> HttpResponse:
    """A frame as it would be with a setup that is not saved."""
    shot = open_shot(request, shot_id)
    return picture(shot, draft.setup(shot), draft.frame, draft.view, draft.size, draft.subject)


class ReadingsAsked(Unsaved):
    """The whole range, or a part of it that is looked at closely."""

    mattes: bool = True
    """Also how far mattes can be trusted; no drag changes that."""
    first: FrameNumber | None = None
    last: FrameNumber | None = None


@api.post("shots/{shot_id}/readings", response={200: dict[str, Any], 422: Problem})
def readings(request: HttpRequest, shot_id: int, asked: ReadingsAsked) -> dict[str, Any]:
    """The numbers of a setup over its range: every frame, or every n-th of a long shot."""
    shot = open_shot(request, shot_id)
    setup = asked.setup(shot)
    check_range(setup, shot)
    footage, rate = setup.footage, float(shot.media.facts.rate.fraction)
    first = footage.first if asked.first is None else max(footage.first, min(asked.first, footage.last))
    last = footage.last if asked.last is None else max(first, min(asked.last, footage.last))
    step = max(1, -(-(last - first + 1) // MOST_READINGS))
    size = (shot.media.facts.width, shot.media.facts.height)
    read = [read_frame(setup, frame, size) for frame in range(first, last + 1, step)]
    return {
        "first": first,
        "step": step,
        "iris": iris_outline(setup),
        **(about_mattes(setup) if asked.mattes else {}),
        "speeds": speeds(read, rate),
        "notes": [asdict(note) for note in focus_notes(setup, read, size, rate)],
        "marks": {
            mark.id: [marks_at(setup, one.lens.frame, size)[mark.id] for one in read] for mark in setup.focus.marks
        },
        "lens": [asdict(one.lens) for one in read],
        "subjects": {name: [asdict(one.subjects[name]) for one in read] for name in read[0].subjects},
    }


class Surveyed(Unsaved):
    frame: FrameNumber


@api.post("shots/{shot_id}/survey", response={200: SurveyState, 404: Problem, 422: Problem})
def look_at_distances(request: HttpRequest, shot_id: int, asked: Surveyed) -> SurveyState:
    """The distances of a frame: under the pointer, as lines, from above, and what is amiss."""
    shot = open_shot(request, shot_id)
    return surveyed(shot.media, asked.setup(shot), asked.frame)


@api.get("shots/{shot_id}/ways/{revision}.json", response=dict[str, Any])
def subjects_ways(request: HttpRequest, shot_id: int, revision: int, response: HttpResponse) -> dict[str, Any]:
    """Where the subjects are over time, seen from above."""
    shot = open_shot(request, shot_id)
    setup = revisions.setup_at(shot, revision)
    response["Cache-Control"] = "private, max-age=86400, immutable"
    return {"ways": ways_of(shot.media, setup)}


class Performed(Schema):
    """A pull that was performed: frames and metres, and by how many dioptres keys may be off it."""

    samples: list[tuple[float, float]]
    tolerance: float = 0.01


class PerformedKeys(Schema):
    keys: list[dict[str, Any]]
    error: float


@api.post("shots/{shot_id}/focus/fit", response={200: PerformedKeys, 422: Problem})
def fit_focus(request: HttpRequest, shot_id: int, performed: Performed) -> PerformedKeys | tuple[int, Problem]:
    """A performed pull without its tremor, as few keys."""
    rate = float(open_shot(request, shot_id).media.facts.rate.fraction)
    samples = [one for one in performed.samples if 0.02 <= one[1] <= 100_000 and 0 <= one[0] <= 10_000_000]
    if len(samples) > 200_000:
        return 422, Problem(error="This recording is too long. Perform it in parts.")
    try:
        found = fit_keys(*cleaned(samples, rate), max(1e-5, performed.tolerance))
    except ValueError:
        return 422, Problem(error="Nothing was recorded: the shot did not play. Hold the wheel while it plays.")
    return PerformedKeys(keys=[key.model_dump(mode="json") for key in found.keys], error=found.error)


class FocusFile(Schema):
    text: str


@api.post("shots/{shot_id}/focus/read", response={200: list[dict[str, Any]], 422: Problem})
def read_focus_file(request: HttpRequest, shot_id: int, file: FocusFile) -> Any:
    """The keys of a focus table. They are put in force by saving them."""
    open_shot(request, shot_id)
    try:
        return [key.model_dump(mode="json") for key in focus_from_table(file.text)]
    except NoTable as reason:
        return 422, Problem(error=f"This is no focus table: {reason}. The focus curve is unchanged.")


@api.get("shots/{shot_id}/focus.csv")
def focus_file(request: HttpRequest, shot_id: int) -> HttpResponse:
    shot = open_shot(request, shot_id)
    facts, setup = shot.media.facts, shot.setup
    frames = range(setup.footage.first, setup.footage.last + 1)
    lenses = (read_frame(setup, frame, (facts.width, facts.height)).lens for frame in frames)
    text = write_focus(
        (one.frame, timecode(one.frame, facts.rate), one.focus, one.near, one.far, one.f_number) for one in lenses
    )
    response = HttpResponse(text, content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="shot-{shot.pk}-focus.csv"'
    return response


def about_mattes(setup: Setup) -> dict[str, Any]:
    return {"standing": standing_of(setup), "trust": trust_of(setup), "mattes": trust_of_mattes(setup)}


@api.get("shots/{shot_id}/outlines/{revision}/{frame}.json", response=dict[str, Any])
def outlines(request: HttpRequest, shot_id: int, revision: int, frame: int, response: HttpResponse) -> dict[str, Any]:
    """Where every outline lies at a frame, for the editor over the picture."""
    setup = revisions.setup_at(open_shot(request, shot_id), revision)
    response["Cache-Control"] = "private, max-age=86400, immutable"
    return outlines_at(setup, frame)


@api.post("shots/{shot_id}/outlines/fit", response={200: dict[str, Any], 422: Problem})
def fit(request: HttpRequest, shot_id: int, drawing: Drawing) -> dict[str, Any]:
    """A freehand line as few points."""
    open_shot(request, shot_id)
    return fitted(drawing.points, drawing.tolerance)


@api.post("shots/{shot_id}/outlines/read", response={200: list[dict[str, Any]], 422: Problem})
def read_outlines(request: HttpRequest, shot_id: int, file: OutlineFile) -> list[dict[str, Any]]:
    """The outlines of an SVG file, with a hand-made key for each frame it has."""
    open_shot(request, shot_id)
    return read_drawing(file.text, file.frame)


@api.get("shots/{shot_id}/outlines/{subject}.svg")
def outlines_file(request: HttpRequest, shot_id: int, subject: str) -> HttpResponse:
    shot = open_shot(request, shot_id)
    if all(one.id != subject for one in shot.setup.subjects):
        return answer(request, 404, "This shot has no such subject.")
    text = svg_of(shot.setup, subject, (shot.media.facts.width, shot.media.facts.height))
    response = HttpResponse(text, content_type="image/svg+xml")
    response["Content-Disposition"] = f'attachment; filename="shot-{shot.pk}-{subject}.svg"'
    return response


@api.post("shots/{shot_id}/mattes/marks", response={200: Made, 404: Problem, 422: Problem})
def mark(request: HttpRequest, shot_id: int, marks: Marks) -> Made:
    """Find a matte from brush marks, or mend one. It is put into a setup by saving that."""
    shot, under = open_shot(request, shot_id), marks.under
    if marks.mends:
        under = matte_at(revisions.setup_at(shot, marks.mends.base), marks.mends.subject, marks.frame)
    return Made(matte=matte_from_marks(shot.media, marks.frame, marks.marks, under), under=under)


@api.post("shots/{shot_id}/mattes/line", response={200: Made, 422: Problem})
def line_around(request: HttpRequest, shot_id: int, line: Line) -> Made:
    return Made(matte=matte_from_line(open_shot(request, shot_id).media, line.curve))


@api.post("shots/{shot_id}/imports", response={200: FollowState, 422: Problem})
def bring(
    request: HttpRequest,
    shot_id: int,
    file: File[UploadedFile],
    what: Form[BroughtAs],
    channel: Form[Channel] = Channel.LUMA,
    subject: Form[str] = "",
) -> Follow | tuple[Literal[422], Problem]:
    """Bring a matte, a plate or a distance map that was made elsewhere."""
    shot = open_shot(request, shot_id)
    try:
        return orders.order_import(shot, Follow.What(what), file, file.name or "file", channel, subject, request.user)
    except orders.Refused as reason:
        return 422, Problem(error=str(reason))


@api.post("shots/{shot_id}/follows", response={200: FollowState, 422: Problem})
def start_follow(request: HttpRequest, shot_id: int, order: FollowOrder) -> Follow | tuple[Literal[422], Problem]:
    shot = open_shot(request, shot_id)
    try:
        return orders.order_follow(
            shot, Follow.What(order.what), order.start, order.end, request.user, order.subject, order.outlines,
            order.on_loss, order.spot,
        )  # fmt: skip
    except orders.Refused as reason:
        return 422, Problem(error=str(reason))


@api.get("shots/{shot_id}/follows", response=list[FollowState])
def follows(request: HttpRequest, shot_id: int) -> list[Follow]:
    """Those under way; a page that is opened anew takes them up."""
    running = (Follow.State.QUEUED, Follow.State.RUNNING)
    return list(open_shot(request, shot_id).follows.filter(state__in=running))


@api.get("follows/{follow_id}", response=FollowState)
def follow_state(request: HttpRequest, follow_id: int) -> Follow:
    return open_follow(request, follow_id)


@api.post("follows/{follow_id}/cancel", response=FollowState)
def cancel_follow(request: HttpRequest, follow_id: int) -> Follow:
    return orders.cancel(open_follow(request, follow_id))


@api.get("shots/{shot_id}/renders", response=list[RenderState])
def renders(request: HttpRequest, shot_id: int) -> list[Render]:
    return list(open_shot(request, shot_id).renders.all()[:20])


@api.post("shots/{shot_id}/renders", response={200: RenderState, 409: Gap, 422: Problem})
def start_render(request: HttpRequest, shot_id: int, order: RenderOrder) -> Render | tuple[int, Problem]:
    shot = open_shot(request, shot_id)
    try:
        return orders.order_render(
            shot, order.first, order.last, request.user, str(order.made), order.subject, order.gaps
        )
    except orders.Gaps as reason:
        return 409, Gap(error=str(reason))
    except orders.Refused as reason:
        return 422, Problem(error=str(reason))


@api.post("renders/{render_id}/cancel", response=RenderState)
def cancel_render(request: HttpRequest, render_id: int) -> Render:
    return orders.cancel(open_render(request, render_id))


def open_shot(request: HttpRequest, shot_id: int) -> Shot:
    """The shot, where the user may edit it; else 404, as if it were not there."""
    found = Shot.objects.select_related("media")
    return get_object_or_404(found, pk=shot_id, project__in=Project.objects.open_to(request.user))


def open_render(request: HttpRequest, render_id: int) -> Render:
    return get_object_or_404(Render, pk=render_id, shot__project__in=Project.objects.open_to(request.user))


def open_follow(request: HttpRequest, follow_id: int) -> Follow:
    return get_object_or_404(Follow, pk=follow_id, shot__project__in=Project.objects.open_to(request.user))


def check_range(setup: Setup, shot: Shot) -> None:
    frames = shot.media.facts.frames
    if setup.footage.last >= frames:
        raise SetupError(f"footage > last: the clip ends at frame {frames - 1}")


def picture(shot: Shot, setup: Setup, frame: int, view: View, size: int, subject: str | None) -> HttpResponse:
    if not shot.media.proxy:
        return api.create_response(None, {"error": "The footage is still being prepared."}, status=409)  # type: ignore[arg-type]
    size = min(SIZES, key=lambda one: abs(one - size))
    return HttpResponse(frame_jpeg(shot.media, setup, frame, view, size, subject), content_type="image/jpeg")
