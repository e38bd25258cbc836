"""How work over frames goes: it begins, is watched, and ends as done, failed or cancelled, whatever is raised.

Only two things leave work unfinished, and then it is queued again: a worker that is told to stop, and a database that
went away. A worker that is killed says nothing; `rescue.py` minds that.
"""

from __future__ import annotations

import errno
import logging
import time
from collections.abc import Callable
from enum import StrEnum
from typing import Any, TypeVar

from django.db import InterfaceError, OperationalError, connection, connections
from django.db.models import QuerySet
from django.utils import timezone
from procrastinate import JobContext, RetryStrategy
from procrastinate.job_context import AbortReason

from kalyptra.core import FrameUnreadable, GuardedFailure, NotFootage, NotInStore, Refused, SetupError
from kalyptra.library import room, store
from kalyptra.work.kinds.order import Gone
from kalyptra.work.models import Ordered

log = logging.getLogger(__name__)

NOTE_EVERY = 0.4
"""Seconds between notes of progress in the database, and between looks at whether to go on."""
AWAY = (OperationalError, InterfaceError)
"""What the database raises when it is not there."""
T = TypeVar("T", bound=Ordered)


class Interrupted(Exception):
    """The work is not over; the job goes on at the next worker, or when the database is back."""


GO_ON = RetryStrategy(wait=1, retry_exceptions=[Interrupted])


class Stopped(Exception):
    """The work was told not to go on; its watch says why."""


class Why(StrEnum):
    """Why work does not go on."""

    CANCELLED = "cancelled"
    DELETED = "deleted"
    LEAVING = "leaving"
    FULL = "full"


class Watch:
    """What work tells while it goes on, and asks.

    Args:
        rows: the one row that says how far it is; not there any more means that the work is for nobody.
        asked: whether somebody asked it to stop.
    """

    def __init__(
        self, rows: QuerySet[Any], context: JobContext, asked: Callable[[], bool] = lambda: False
    ) -> None:  # fmt: skip
        self._rows, self._context, self._asked = rows, context, asked
        self._noted = self._looked = -NOTE_EVERY
        self.why: Why | None = None

    def note(self, **fields: Any) -> bool:
        """Put progress into the row, now and then; whether to go on."""
        now = time.monotonic()
        if self.why is None and now - self._noted >= NOTE_EVERY:
            self._noted = now
            try:
                self._rows.update(**fields)
            except AWAY:
                connection.close()  # opened anew when it is back; the work does not wait for that
        return self.go_on()

    def go_on(self) -> bool:
        """Whether to go on."""
        if self.why is None:
            self.why = self._look()
        return self.why is None

    def _look(self) -> Why | None:
        if self._context.abort_reason() == AbortReason.SHUTDOWN:
            return Why.LEAVING
        now = time.monotonic()
        if now - self._looked < NOTE_EVERY:
            return None
        self._looked = now
        if not room.enough(room.Use.UNDER_WAY):
            return Why.FULL
        try:
            if not self._rows.exists():
                return Why.DELETED
            return Why.CANCELLED if self._asked() else None
        except AWAY:
            connection.close()
            return None


def carry_out(
    row: T, context: JobContext, work: Callable[[T, Watch], str], settle: Callable[[T], None], aside: str
) -> None:
    """Do ordered work, and have its row say what came of it.

    Args:
        work: does it; returns what to tell of it. Raises Stopped where its watch said not to go on.
        settle: puts what was found where it belongs, and lets go of what is not needed. Called at every end but an
            interruption, with the state that it came to.
        aside: what is told behind the reason of a failure: what was kept, and what to do.

    Raises:
        Interrupted: it is to be done again, or gone on with.
    """
    rows = type(row)._default_manager.filter(pk=row.pk)
    watch = Watch(rows, context, lambda: rows.filter(cancel_asked=True).exists())
    try:
        if not rows.filter(state__in=Ordered.ACTIVE).update(state=Ordered.State.RUNNING):
            return
        row.state, row.message = Ordered.State.DONE, ""
        try:
            row.message = work(row, watch)
        except AWAY:
            raise
        except Exception as error:
            row.state, row.message = _end_of(error, watch, aside)
        if watch.why is Why.DELETED:
            row.state = Ordered.State.CANCELLED
        try:
            settle(row)
        except AWAY:
            raise
        except Exception as error:
            if watch.why is not Why.DELETED:
                row.state, row.message = Ordered.State.FAILED, f"The work is done, but {reason(error)}. {aside}"
        rows.update(**{name: getattr(row, name) for name in row.SETTLED}, ended=timezone.now())
    except AWAY as error:
        connection.close()
        raise Interrupted from error


def _end_of(error: Exception, watch: Watch, aside: str) -> tuple[str, str]:
    """State and words of work that raised.

    Raises:
        Interrupted: it only stopped because its worker is to end.
    """
    stopped = isinstance(error, Stopped) or (isinstance(error, GuardedFailure) and error.kind == "cancelled")
    if stopped and watch.why is Why.LEAVING:
        raise Interrupted from error
    if stopped and watch.why in (Why.CANCELLED, Why.DELETED):
        return Ordered.State.CANCELLED, "Cancelled."
    if stopped and watch.why is Why.FULL:
        return Ordered.State.FAILED, f"The work stopped: the disk is nearly full. Free some space. {aside}"
    return Ordered.State.FAILED, f"The work stopped: {reason(error)}. {aside}"


PLAIN = (FrameUnreadable, SetupError, NotFootage, NotInStore, Gone, store.Full, room.NoRoom)
"""Errors whose texts are meant for people."""
PLAIN_KINDS = {
    "FrameUnreadable",
    "SetupError",
    "NotFootage",
    "NotKept",
    "NoSuchChannel",
    "NotATable",
    "NoGrain",
    "Gone",
    "time",
}


def reason(error: Exception) -> str:
    """Why work failed, in words; what was not foreseen goes to the log."""
    if isinstance(error, Refused):
        text = str(error).rstrip(".")
        return text[0].lower() + text[1:]
    if isinstance(error, PLAIN) or (isinstance(error, GuardedFailure) and error.kind in PLAIN_KINDS):
        return str(error).rstrip(".")
    if isinstance(error, GuardedFailure) and error.kind in ("killed", "memory"):
        return "its process was ended from outside, as happens when memory is short"
    if isinstance(error, FileNotFoundError):
        return "a file that it needs is gone from the storage"
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        return "the disk is full"
    log.error("unforeseen", exc_info=error)
    kind = error.kind if isinstance(error, GuardedFailure) else type(error).__name__
    return f"something failed that was not foreseen ({kind}); the worker's log tells more"


def begin() -> None:
    """Called by each job first: a connection that the last one left may be broken."""
    for opened in connections.all(initialized_only=True):
        if not opened.in_atomic_block:
            opened.close_if_unusable_or_obsolete()
