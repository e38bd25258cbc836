"""Work over the frames of a shot whose findings go into its setup: how it is run, and how they are put there."""

from __future__ import annotations

from typing import Any

from kalyptra.core import Refused, apply
from kalyptra.library import revisions, store
from kalyptra.library.files import delete_file
from kalyptra.library.models import Shot
from kalyptra.work.findings import Findings
from kalyptra.work.kinds import BringFile, FollowOutlines, Task, order_of
from kalyptra.work.lifecycle import Stopped, Watch
from kalyptra.work.models import Follow


def work(row: Follow, watch: Watch) -> str:
    """Do the work, going on from what was found before; what to tell of it.

    Raises:
        Stopped: it was told not to go on.
        Gone, FrameUnreadable, GuardedFailure, store.Full, room.NoRoom: it cannot be done.
    """
    order = order_of(row)
    if not isinstance(order, FollowOutlines):
        store.need_room()

    def note(done: int, newest: dict[str, Any] | None) -> bool:
        row.frames_done = done
        return watch.note(frames_done=done, **({"newest": newest} if newest else {}))

    task = Task(row, Findings(row), note, watch.go_on)
    try:
        said = order.run(task)
    finally:
        task.findings.keep()
    if said is None:
        raise Stopped
    return said


def settle(row: Follow) -> None:
    """Put what was found into the setup. Of a file that is brought the half is of no use: all of it, or nothing."""
    try:
        if row.state == Follow.State.DONE or not _brings(row):
            put_into_setup(row)
        row.findings.all().delete()
    finally:
        if row.file.name:
            delete_file(row.file.storage, row.file.name)
            row.file.name = ""


def aside(row: Follow) -> str:
    return "Nothing was changed." if _brings(row) else "What was found before is kept."


def _brings(row: Follow) -> bool:
    return isinstance(order_of(row), BringFile)


def put_into_setup(row: Follow) -> None:
    """Carry the findings out on the setup that is in force now; what was changed meanwhile stays.

    Raises:
        Refused: nothing of it can be put there any more.
    """
    shot = Shot.objects.filter(pk=row.shot_id).first()
    if shot is None:  # deleted meanwhile: there is nobody to keep it for
        return
    task = Task(row, Findings(row), lambda done, newest: True, lambda: True)
    carried_out, refused = [], None
    for command in order_of(row).commands(task):  # of several outlines one may be gone
        try:
            apply(shot.setup, [command], revisions.clip_of(shot))
            carried_out.append(command)
        except Refused as reason:
            refused = reason
    if carried_out:
        revisions.change(shot.pk, shot.head, carried_out, row.author)
    elif refused:
        raise refused
