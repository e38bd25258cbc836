"""Work over the frames of a shot whose findings go into its setup: what is run, and how the findings are put there."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import closing
from typing import Any

from kalyptra.core import (
    Carried,
    Channel,
    Command,
    FoundMatte,
    OnLoss,
    Outline,
    PlatePatch,
    Rate,
    Refused,
    Setup,
    Spot,
    Step,
    TakeFeet,
    TakeMapFile,
    TakeMatteFile,
    TakeMattes,
    TakePatches,
    TakePlateFile,
    TakeSteps,
    apply,
    coverage_of,
    feet,
    follow,
    follow_mattes,
    follow_people,
    grounded,
    import_to_store,
    map_to_store,
    matte_name,
    open_clip,
    outlines_of,
    pictures_needed,
    probe,
    recover_to_store,
    with_steps,
)
from kalyptra.library import kept, revisions
from kalyptra.library.files import delete_file, local_path
from kalyptra.library.models import Shot
from kalyptra.work.lifecycle import Gone, Stopped, Watch
from kalyptra.work.models import Follow

Findings = dict[str, list[Any]]
OnFrame = Callable[[int, Findings], bool]
"""Told how many frames are done and what was found; returns whether to go on."""

ALL = "all"
"""Under this name is found what belongs to no outline."""


GoOn = Callable[[], bool]


def work(order: Follow, watch: Watch) -> str:
    """Do the work, noting what is found; what to tell of it."""
    order.message = ""
    if not run(order, lambda done, steps: watch.note(frames_done=done, steps=steps), watch.go_on):
        raise Stopped
    return order.message


def settle(order: Follow) -> None:
    """Put what was found into the setup. Of a file that is brought the half is of no use: all of it, or nothing."""
    try:
        if order.state == Follow.State.DONE or not _brings(order):
            keep(order)
    finally:
        if order.file.name:
            delete_file(order.file.storage, order.file.name)
            order.file.name = ""


def aside(order: Follow) -> str:
    return "Nothing was changed." if _brings(order) else "What was found before is kept."


def _brings(order: Follow) -> bool:
    return order.what in (Follow.What.MATTE_FILE, Follow.What.PLATE_FILE, Follow.What.MAP_FILE)


def run(order: Follow, on_frame: OnFrame, go_on: GoOn | None = None) -> bool:
    """Do the work, frame by frame.

    Args:
        go_on: asked now and then whether to go on.

    Returns:
        Whether it came to the end, or to where nothing more can be seen.

    Raises:
        FrameUnreadable: the clip is damaged.
        GuardedFailure: work in a process of its own failed (kind "cancelled": it was stopped).
        Gone, kept.Full, room.NoRoom: the subject or a stored matte is gone; there is no room.
    """
    if order.what == Follow.What.OUTLINES:
        return _outlines(order, on_frame)
    kept.need_room()
    if order.what == Follow.What.MATTES:
        return _mattes(order, on_frame)
    if order.what == Follow.What.PEOPLE:
        return _people(order, on_frame)
    if order.what == Follow.What.FEET:
        return _feet(order, on_frame)
    guarded = {
        Follow.What.PLATE: _plate,
        Follow.What.MATTE_FILE: _brought,
        Follow.What.PLATE_FILE: _brought,
        Follow.What.MAP_FILE: _map,
    }
    return guarded[Follow.What(order.what)](order, on_frame, go_on)


def _frames(order: Follow) -> range:
    ahead = 1 if order.end >= order.start else -1
    return range(order.start, order.end + ahead, ahead)


def _outlines(order: Follow, on_frame: OnFrame) -> bool:
    """Follow outlines side by side."""
    media, subject = order.shot.media, _subject(order.shot.setup, order.subject)
    order.steps = {name: [] for name in order.outlines}
    with closing(open_clip(local_path(media.proxy), media.proxy_facts)) as footage:
        runs = {
            one.id: follow(one, footage, _frames(order), media.facts.width, OnLoss(order.on_loss))
            for one in (outlines_of(subject.matte) if subject else ())
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
                order.message = _lost_at(order)
                return True
            order.frames_done = done
            if not on_frame(done, order.steps):
                return False
    return True


def _mattes(order: Follow, on_frame: OnFrame) -> bool:
    """Follow a found matte from where it is known at the start; keys on the way hold."""
    media, matte = order.shot.media, _found_matte(order)
    frames = _frames(order)
    names = {key.frame: key.matte for key in matte.keys if key.frame in frames}
    first = matte.at(order.start)
    if first is None:
        raise Gone("there is no matte at the frame to start from; make marks there first")
    names[order.start] = first
    if kept.fetch(names.values()):
        raise Gone("a matte that was made by hand is not in the store any more; make its marks again")
    keys = {frame: coverage_of(kept.store().picture(name)) for frame, name in names.items()}
    with closing(open_clip(local_path(media.proxy), media.proxy_facts)) as footage:
        found = follow_mattes(keys, footage, frames, OnLoss(order.on_loss))
        complete = _keep_carried(order, found, on_frame)
    if complete and order.steps[ALL] and order.frames_done < order.frames:
        last = order.steps[ALL][-1][0] if order.steps[ALL] else order.start
        if last != order.end and order.end not in names:
            order.message = _lost_at(order)
    return complete


def _people(order: Follow, on_frame: OnFrame) -> bool:
    """Find people over the whole range: everybody, or from where one is pointed at, ahead and then back."""
    media = order.shot.media
    spot = Spot.model_validate(order.spot) if order.spot else None
    low, high = min(order.start, order.end), max(order.start, order.end)
    with closing(open_clip(local_path(media.proxy), media.proxy_facts)) as footage:

        def all_found() -> Iterator[Carried]:
            if spot is None:
                yield from follow_people(footage, range(low, high + 1), None, media.facts.width)
                return
            at = min(max(spot.frame, low), high)
            yield from follow_people(footage, range(at, high + 1), spot, media.facts.width)
            back = follow_people(footage, range(at, low - 1, -1), spot, media.facts.width)
            yield from (one for one in back if one.frame != at)

        complete = _keep_carried(order, all_found(), on_frame)
    nobody = sum(one[3] == "nobody" for one in order.steps[ALL])
    if complete and nobody:
        every = nobody == len(order.steps[ALL])
        order.message = (
            "Nobody is seen in any frame. Mark the subject with the brush instead."
            if every
            else f"Nobody is seen in {nobody} of {len(order.steps[ALL])} frames."
        )
    return complete


def _keep_carried(order: Follow, found: Iterator[Carried], on_frame: OnFrame) -> bool:
    order.steps = {ALL: []}
    for one in found:
        name = kept.store().keep(one.matte)
        kept.share([name])
        order.steps[ALL].append([one.frame, name, one.sure, one.how.value])
        order.frames_done = len(order.steps[ALL])
        if not on_frame(order.frames_done, order.steps):
            return False
    return True


def _plate(order: Follow, on_frame: OnFrame, go_on: GoOn | None) -> bool:
    """Recover what the cut-outs hide."""
    shot, media = order.shot, order.shot.media
    first, last = min(order.start, order.end), max(order.start, order.end)
    if kept.fetch(pictures_needed(shot.setup, first, last)):
        raise Gone("a matte is not in the store any more; follow the subject again")
    order.steps = {ALL: []}

    def on_patch(done: int, patch: PlatePatch | None) -> bool:
        if patch is not None:
            kept.share([patch.picture])
            order.steps[ALL].append(list(patch))
        order.frames_done = done
        return on_frame(done, order.steps)

    store = kept.store().folder
    order.message = recover_to_store(
        shot.setup, local_path(media.file), media.facts, store, first, last, on_patch, go_on
    )
    return True


def _brought(order: Follow, on_frame: OnFrame, go_on: GoOn | None) -> bool:
    """Bring a file's pictures into the store."""
    path = local_path(order.file)
    facts = probe(path, Rate(numerator=25, denominator=1))
    order.end = order.start + facts.frames - 1
    Follow.objects.filter(pk=order.pk).update(end=order.end)
    order.steps = {ALL: []}

    def on_picture(done: int, name: str) -> bool:
        kept.share([name])
        order.steps[ALL].append(name)
        order.frames_done = done
        return on_frame(done, order.steps)

    order.message = import_to_store(path, facts, Channel(order.channel), kept.store().folder, on_picture, go_on)
    return True


def _map(order: Follow, on_frame: OnFrame, go_on: GoOn | None) -> bool:
    """Bring a file's maps into the store, exactly as they are."""
    order.steps = {ALL: []}

    def on_map(done: int, of: int, name: str) -> bool:
        if done == 1:
            order.end = order.start + of - 1
            Follow.objects.filter(pk=order.pk).update(end=order.end)
        kept.share([name])
        order.steps[ALL].append(name)
        order.frames_done = done
        return on_frame(done, order.steps)

    map_to_store(local_path(order.file), Channel(order.channel), kept.store().folder, on_map, go_on)
    return True


def _feet(order: Follow, on_frame: OnFrame) -> bool:
    """Look where a subject stands in each frame."""
    shot = order.shot
    subject, frames = _subject(shot.setup, order.subject), _frames(order)
    if subject is None:
        raise Gone("the subject is not in the setup any more")
    if kept.fetch(pictures_needed(shot.setup, min(frames), max(frames))):
        raise Gone("a matte is not in the store any more; follow the subject again")
    order.steps = {ALL: []}
    size = shot.media.facts.width, shot.media.facts.height
    seen = []
    for foot in feet(subject, frames, size, kept.store()):
        order.frames_done += 1
        seen += [foot] if foot else []
        if not on_frame(order.frames_done, order.steps):
            return False
    order.steps[ALL] = [list(foot) for foot in grounded(seen)]
    missing = order.frames - len(order.steps[ALL])
    if missing:
        order.message = f"No foot is seen in {missing} of {order.frames} frames; there it goes on as around them."
    return True


def _lost_at(order: Follow) -> str:
    return f"The subject was lost at frame {order.frame}. Mend it there and follow again."


def keep(order: Follow) -> None:
    """Put the findings into the setup that is in force now; what was changed meanwhile stays.

    Raises:
        Refused: nothing of it can be put there any more.
    """
    shot = Shot.objects.filter(pk=order.shot_id).first()
    if shot is None:  # deleted meanwhile: there is nobody to keep it for
        return
    commands = findings_of(order)
    carried_out, refused = [], None
    for command in commands:  # of several outlines one may be gone
        try:
            apply(shot.setup, [command], revisions.clip_of(shot))
            carried_out.append(command)
        except Refused as reason:
            refused = reason
    if carried_out:
        revisions.change(shot.pk, shot.head, carried_out, order.author)
    elif refused:
        raise refused


def findings_of(order: Follow) -> list[Command]:
    """What was found so far, as commands."""
    if order.what == Follow.What.OUTLINES:
        found = {name: steps for name, steps in order.steps.items() if steps}
        return [TakeSteps(subject=order.subject, outline=name, steps=_steps(steps)) for name, steps in found.items()]
    found_all = tuple(order.steps.get(ALL, ()))
    if not found_all:
        return []
    makers: dict[str, Callable[[], Command]] = {
        Follow.What.PLATE: lambda: TakePatches(patches=found_all),
        Follow.What.PLATE_FILE: lambda: TakePlateFile(title=order.title, frames=found_all),
        Follow.What.MATTE_FILE: lambda: TakeMatteFile(subject=order.subject, title=order.title, frames=found_all),
        Follow.What.MAP_FILE: lambda: TakeMapFile(source=order.subject, title=order.title, frames=found_all),
        Follow.What.FEET: lambda: TakeFeet(subject=order.subject, feet=found_all, of=_matte_looked_at(order)),
        Follow.What.MATTES: lambda: TakeMattes(subject=order.subject, frames=found_all),
        Follow.What.PEOPLE: lambda: TakeMattes(subject=order.subject, frames=found_all, people=True, person=order.spot),
    }
    return [makers[order.what]()]


def _matte_looked_at(order: Follow) -> str:
    subject = _subject(order.shot.setup, order.subject)
    if subject is None:
        raise Gone("the subject is not in the setup any more")
    return matte_name(subject)


def followed_outlines(order: Follow) -> list[Outline]:
    """The outlines that are followed, as far as they were found; the setup is not put together for that."""
    subject = _subject(revisions.setup_at(order.shot, order.shot.head), order.subject)
    outlines = outlines_of(subject.matte) if subject else ()
    return [with_steps(one, _steps(found)) for one in outlines if (found := order.steps.get(one.id))]


def _steps(found: list[Any]) -> tuple[Step, ...]:
    return tuple(Step.model_validate(step) for step in found)


def _found_matte(order: Follow) -> FoundMatte:
    subject = _subject(order.shot.setup, order.subject)
    if subject is None or not isinstance(subject.matte, FoundMatte):
        raise Gone("the subject is not in the setup any more")
    return subject.matte


def _subject(setup: Setup, subject_id: str) -> Any:
    return next((one for one in setup.subjects if one.id == subject_id), None)
