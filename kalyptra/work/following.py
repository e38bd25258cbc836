"""Following outlines of a shot on its proxy, and keeping what was found."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import closing
from typing import Any

from kalyptra.core import OnLoss, Outline, Setup, Step, follow, open_clip, with_steps
from kalyptra.library import revisions
from kalyptra.library.files import local_path
from kalyptra.library.models import Shot
from kalyptra.work.models import Follow

Found = dict[str, list[dict[str, Any]]]


def run(order: Follow, on_frame: Callable[[int, Found], bool]) -> bool:
    """Follow frame by frame, all outlines side by side.

    Args:
        on_frame: told how many frames are done and what was found; returns whether to go on.

    Returns:
        Whether it came to the end, or to where nothing more can be seen.

    Raises:
        FrameUnreadable: the proxy is damaged.
    """
    media, subject = order.shot.media, _subject(order.shot.setup, order.subject)
    ahead = 1 if order.end > order.start else -1
    frames = range(order.start, order.end + ahead, ahead)
    order.steps = {name: [] for name in order.outlines}
    with closing(open_clip(local_path(media.proxy), media.proxy_facts)) as footage:
        runs = {
            one.id: follow(one, footage, frames, media.facts.width, OnLoss(order.on_loss))
            for one in (subject.matte.outlines if subject else ())
            if one.id in order.outlines
        }
        for done in range(1, order.frames + 1):
            for name, steps in list(runs.items()):
                step = next(steps, None)
                if step is None:
                    del runs[name]
                else:
                    order.steps[name].append(step.model_dump(mode="json"))
            if not runs:
                order.message = f"The subject was lost at frame {order.frame}. Mend it there and follow again."
                return True
            order.frames_done = done
            if not on_frame(done, order.steps):
                return False
    return True


def keep(order: Follow) -> None:
    """Put the steps into the setup that is in force now; what was changed meanwhile stays."""
    found = found_in(order)
    while found:
        shot = Shot.objects.get(pk=order.shot_id)
        setup = with_found(shot.setup, order.subject, found)
        try:
            revisions.save(shot.pk, shot.head, setup, order.author)
        except revisions.Stale:
            continue
        return


def found_in(order: Follow) -> dict[str, tuple[Step, ...]]:
    """The steps that were found so far, by outline."""
    return {name: tuple(Step.model_validate(step) for step in steps) for name, steps in order.steps.items() if steps}


def with_found(setup: Setup, subject_id: str, found: dict[str, tuple[Step, ...]]) -> Setup:
    """The setup with steps put into the outlines that are still there."""
    document = setup.model_dump(mode="json")
    for subject in document["subjects"]:
        for outline in subject["matte"]["outlines"] if subject["id"] == subject_id else ():
            if outline["id"] in found:
                one = with_steps(Outline.model_validate(outline), found[outline["id"]])
                outline["steps"] = [step.model_dump(mode="json") for step in one.steps]
    return Setup.model_validate(document)


def _subject(setup: Setup, subject_id: str) -> Any:
    return next((one for one in setup.subjects if one.id == subject_id), None)
