"""Long work that an editor asked for: what it is, how far it is, and what came of it."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from kalyptra.library.models import Shot


def _in_folder(render: Render, name: str) -> str:
    return f"renders/{render.key}/{name}"


def _brought(follow: Follow, name: str) -> str:
    return f"brought/{uuid.uuid4()}/{name}"


class Ordered(models.Model):
    """What all long work has in common."""

    class State(models.TextChoices):
        QUEUED = "queued", "waiting"
        RUNNING = "running", "under way"
        DONE = "done", "done"
        FAILED = "failed", "failed"
        CANCELLED = "cancelled", "cancelled"

    ACTIVE = (State.QUEUED, State.RUNNING)
    SETTLED: tuple[str, ...] = ("state", "message", "frames_done", "file")
    """Fields that the end of the work writes."""
    doing = "under way"
    """What it is called while it runs."""

    state = models.CharField(max_length=12, choices=State, default=State.QUEUED)
    cancel_asked = models.BooleanField(default=False)
    frames_done = models.PositiveIntegerField(default=0)
    crashes = models.PositiveSmallIntegerField(default=0)
    """How often it took its worker down with it without getting any further."""
    crashed_at = models.PositiveIntegerField(default=0)
    """Frames that were done when that happened last."""
    message = models.TextField(blank=True)
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        abstract = True
        ordering = ("-created",)

    @property
    def words(self) -> str:
        """Its state in words."""
        return self.doing if self.state == self.State.RUNNING else str(self.State(self.state).label)


class Render(Ordered):
    """One render of a shot. The setup is kept as it was when the render was asked for."""

    doing = "rendering"

    key = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)
    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="renders")
    revision = models.PositiveIntegerField()
    document = models.JSONField()
    first = models.PositiveIntegerField()
    last = models.PositiveIntegerField()
    made = models.CharField(max_length=12, default="result")
    """The result, or a format in which mattes are taken away."""
    subject = models.CharField(max_length=16, blank=True)
    """Whose matte; all together without it."""
    frames_a_second = models.FloatField(default=0)
    file = models.FileField(upload_to=_in_folder, max_length=255, blank=True)

    def __str__(self) -> str:
        return f"{self.shot} {self.first} to {self.last}"

    @property
    def frames(self) -> int:
        return self.last - self.first + 1

    @property
    def seconds_left(self) -> float | None:
        if self.state != self.State.RUNNING or self.frames_a_second <= 0:
            return None
        return (self.frames - self.frames_done) / self.frames_a_second


class Follow(Ordered):
    """Work over the frames of a shot that ends up in its setup: following, finding people, recovering a plate, bringing
    a file. What it finds is kept in rows of its own until it is in the shot's setup."""

    class What(models.TextChoices):
        OUTLINES = "outlines", "following"
        MATTES = "mattes", "following"
        PEOPLE = "people", "finding people"
        PLATE = "plate", "recovering the plate"
        MATTE_FILE = "matte-file", "bringing the matte"
        PLATE_FILE = "plate-file", "bringing the plate"
        MAP_FILE = "map-file", "bringing the map"
        FEET = "feet", "looking where it stands"
        TABLE_FILE = "table-file", "bringing the colour table"
        CARD_FILE = "card-file", "bringing the picture"
        GRAIN = "grain", "measuring the grain"
        SOURCE = "source", "following"

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="follows")
    what = models.CharField(max_length=12, choices=What, default=What.OUTLINES)
    order = models.JSONField(default=dict)
    """What was asked for; `kinds.order_of` reads it."""
    subject = models.CharField(max_length=16, blank=True)
    """The subject, or the source of distance, that it is about."""
    start = models.PositiveIntegerField(default=0)
    end = models.PositiveIntegerField(default=0)
    """The last frame; before the start when it goes back."""
    file = models.FileField(upload_to=_brought, max_length=255, blank=True)
    """What is brought; deleted once it is in the store."""
    newest = models.JSONField(null=True)
    """What the page shows while it goes on: a frame, and where outlines lie in it."""

    @property
    def doing(self) -> str:  # type: ignore[override]
        return str(self.What(self.what).label)

    def __str__(self) -> str:
        return f"{self.shot} {self.subject} from {self.start} to {self.end}"

    @property
    def frames(self) -> int:
        """How many frames there are to work on: following knows the first one already."""
        known = self.what in (self.What.OUTLINES, self.What.MATTES, self.What.SOURCE)
        return abs(self.end - self.start) + (0 if known else 1)

    @property
    def frame(self) -> int:
        """The newest frame that was found."""
        return self.start + (self.frames_done if self.end > self.start else -self.frames_done)


class Finding(models.Model):
    """A part of what work found, in the order of its coming. Never changed."""

    follow = models.ForeignKey(Follow, on_delete=models.CASCADE, related_name="findings")
    name = models.CharField(max_length=16)
    """Of the outline, or one name for all else."""
    values = models.JSONField()

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"{self.follow}: {len(self.values)} of {self.name}"
