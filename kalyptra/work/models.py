"""Long work that an editor asked for: what it is, how far it is, and what came of it."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from kalyptra.library.models import Shot


def _in_folder(render: Render, name: str) -> str:
    return f"renders/{render.key}/{name}"


class Ordered(models.Model):
    """What all long work has in common."""

    class State(models.TextChoices):
        QUEUED = "queued", "waiting"
        RUNNING = "running", "under way"
        DONE = "done", "done"
        FAILED = "failed", "failed"
        CANCELLED = "cancelled", "cancelled"

    doing = "under way"
    """What it is called while it runs."""

    state = models.CharField(max_length=12, choices=State, default=State.QUEUED)
    cancel_asked = models.BooleanField(default=False)
    frames_done = models.PositiveIntegerField(default=0)
    message = models.TextField(blank=True)
    created = models.DateTimeField(auto_now_add=True)
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
    frames_a_second = models.FloatField(default=0)
    file = models.FileField(upload_to=_in_folder, max_length=255, blank=True)
    ended = models.DateTimeField(null=True)

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
    """Following outlines of a subject from a frame. What was found is kept here until it is in the shot's setup."""

    doing = "following"

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="follows")
    subject = models.CharField(max_length=16)
    outlines = models.JSONField()
    """Ids of the outlines to follow."""
    start = models.PositiveIntegerField()
    end = models.PositiveIntegerField()
    """The last frame to follow to; before the start when it goes back."""
    on_loss = models.CharField(max_length=12)
    steps = models.JSONField(default=dict)
    """What was found so far, by outline."""

    def __str__(self) -> str:
        return f"{self.shot} {self.subject} from {self.start} to {self.end}"

    @property
    def frames(self) -> int:
        return abs(self.end - self.start)

    @property
    def frame(self) -> int:
        """The newest frame that was found."""
        return self.start + (self.frames_done if self.end > self.start else -self.frames_done)
