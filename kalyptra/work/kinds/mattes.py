"""Following found mattes, and finding people."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from typing import Literal

import numpy as np

from kalyptra.core import (
    Command,
    FoundMatte,
    OnLoss,
    PropagatedMatte,
    Setup,
    Spot,
    TakeMattes,
    coverage_of,
    follow_mattes,
    follow_people,
    open_clip,
)
from kalyptra.library import store
from kalyptra.library.files import local_path
from kalyptra.work.kinds.order import Gone, NotTaken, Order, SubjectId, Task, lost_at, saved_subject, subject_in


class _Mattes(Order):
    """Work that finds a matte a frame for a subject whose matte is a found one."""

    subject: SubjectId

    @property
    def about(self) -> str:
        return self.subject

    def check(self, setup: Setup) -> None:
        if not isinstance(saved_subject(setup, self.subject).matte, FoundMatte):
            raise NotTaken("This subject's matte is not one that is found. Make a subject with the brush first.")

    def _keep(self, task: Task, mattes: Iterator[PropagatedMatte]) -> bool:
        """Put what is found into the store; whether it came to an end of its own."""
        for matte in mattes:
            name = store.local().keep(matte.matte)
            store.share([name])
            task.findings.add([matte.frame, name, matte.sure, matte.how.value])
            newest = {"frame": matte.frame, "outlines": {}, "matte": name}
            if not task.note(len(task.findings.of()), newest):
                return False
        return True


class FollowMattes(_Mattes):
    """Follow a found matte from where it is known at the start; keys on the way hold."""

    what: Literal["mattes"] = "mattes"
    on_loss: OnLoss = OnLoss.CARRY_ON

    def check(self, setup: Setup) -> None:
        super().check(setup)
        matte = saved_subject(setup, self.subject).matte
        if self.start == self.end:
            raise NotTaken("There is no frame to follow to in that direction.")
        if isinstance(matte, FoundMatte) and matte.at(self.start) is None:
            raise NotTaken("There is no matte at this frame to start from. Make marks here first.")

    def run(self, task: Task) -> str | None:
        media, subject = task.shot.media, subject_in(task.shot.setup, self.subject)
        if subject is None or not isinstance(subject.matte, FoundMatte):
            raise Gone("the subject is not in the setup any more")
        before = task.findings.of()
        names = {key.frame: key.matte for key in subject.matte.keys if key.frame in self.frames}
        begin = before[-1][0] if before else self.start  # taken up, it goes on from the newest matte
        if begin not in names:
            first = before[-1][1] if before else subject.matte.at(self.start)
            if first is None:
                raise Gone("there is no matte at the frame to start from; make marks there first")
            names[begin] = first
        frames = self.frames[self.frames.index(begin) :]
        if store.fetch(names.values()):
            raise Gone("a matte that was made by hand is not in the store any more; make its marks again")
        # Those before, too: what is taken up remembers their colours.
        keys = {frame: coverage_of(store.local().picture(name)) for frame, name in names.items()}
        with closing(open_clip(local_path(media.proxy), media.proxy_facts)) as footage:
            if not self._keep(task, follow_mattes(keys, footage, frames, self.on_loss)):
                return None
        values = task.findings.of()
        last = values[-1][0] if values else self.start
        return "" if not values or last == self.end or self.end in names else lost_at(last)

    def commands(self, task: Task) -> list[Command]:
        values = tuple(task.findings.of())
        return [TakeMattes(subject=self.subject, frames=values)] if values else []


class FindPeople(_Mattes):
    """Find people over the whole range: everybody, or from where one is pointed at, ahead and then back."""

    what: Literal["people"] = "people"
    spot: Spot | None = None
    carefully: bool = True
    """Whether they are followed as well; without it it takes a quarter of the time."""

    def run(self, task: Task) -> str | None:
        media = task.shot.media
        with closing(open_clip(local_path(media.proxy), media.proxy_facts)) as footage:

            def all_found() -> Iterator[PropagatedMatte]:
                for frames in self._ways():
                    done = {finding[0]: finding for finding in task.findings.of()}
                    rest = [frame for frame in frames if frame not in done]
                    if not rest:
                        continue
                    spot = self.spot
                    if spot and rest[0] != frames[0]:  # taken up: whoever was found last is pointed at
                        spot = _spot_in(done[frames[frames.index(rest[0]) - 1]], spot, media.facts.width)
                    yield from follow_people(footage, rest, spot, media.facts.width, self.carefully)

            if not self._keep(task, all_found()):
                return None
        values = task.findings.of()
        nobody = sum(found_frame[3] == "nobody" for found_frame in values)
        if nobody == len(values):
            return "Nobody is seen in any frame. Mark the subject with the brush instead."
        return f"Nobody is seen in {nobody} of {len(values)} frames." if nobody else ""

    def _ways(self) -> list[range]:
        low, high = self.span
        if self.spot is None:
            return [range(low, high + 1)]
        at = min(max(self.spot.frame, low), high)
        return [range(at, high + 1), range(at, low - 1, -1)]

    def commands(self, task: Task) -> list[Command]:
        values = tuple(sorted(task.findings.of()))
        if not values:
            return []
        return [TakeMattes(subject=self.subject, frames=values, people=True, person=self.spot)]


def _spot_in(people: list[object], spot: Spot, width: int) -> Spot:
    """The middle of a matte that was found; the spot itself where it is empty or gone."""
    name = str(people[1])
    if store.fetch([name]):
        return spot
    matte = coverage_of(store.local().picture(name))
    ys, xs = np.nonzero(matte > 0.5)
    if len(xs) == 0:
        return spot
    scale = width / matte.shape[1]
    return Spot(frame=spot.frame, x=float(np.median(xs)) * scale, y=float(np.median(ys)) * scale)
