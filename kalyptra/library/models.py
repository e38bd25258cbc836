"""Projects, their footage and shots, and every revision of a shot's setup."""

from __future__ import annotations

import uuid
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.urls import reverse
from django.utils import timezone

from kalyptra.core import ClipFacts, NamedLook, Setup


class ProjectQuerySet(models.QuerySet["Project"]):
    def open_to(self, user: Any) -> ProjectQuerySet:
        """Projects that a user may see and edit."""
        return self.filter(models.Q(owner=user) | models.Q(editors=user)).distinct()


class Project(models.Model):
    """Holds shots."""

    title = models.CharField(max_length=120)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="owned_projects")
    editors = models.ManyToManyField(settings.AUTH_USER_MODEL, blank=True, related_name="shared_projects")
    created = models.DateTimeField(auto_now_add=True)
    demo_key = models.CharField(max_length=40, blank=True, db_index=True)
    """Names the demo project, so that loading it twice makes it once."""

    objects = ProjectQuerySet.as_manager()

    class Meta:
        ordering = ("-created",)

    def __str__(self) -> str:
        return self.title

    def get_absolute_url(self) -> str:
        return reverse("project", args=[self.pk])

    def is_open_to(self, user: Any) -> bool:
        """Whether a user may see and edit it; the same as `open_to`, for one that is at hand."""
        return self.owner_id == user.pk or self.editors.filter(pk=user.pk).exists()


def _in_folder(media: Media, name: str) -> str:
    return f"footage/{media.key}/{name}"


class Media(models.Model):
    """One source: its file as it came, its facts, and the proxy that the viewer shows."""

    class State(models.TextChoices):
        PREPARING = "preparing", "being prepared"
        READY = "ready", "ready"
        FAILED = "failed", "could not be prepared"
        STOPPED = "stopped", "not prepared: stopped"

    key = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)
    name = models.CharField(max_length=200)
    digest = models.CharField(max_length=64)
    """SHA-256 of the file: what its pictures depend on."""
    file = models.FileField(upload_to=_in_folder, max_length=255)
    facts_json = models.JSONField()
    proxy = models.FileField(upload_to=_in_folder, max_length=255, blank=True)
    proxy_facts_json = models.JSONField(null=True)
    poster = models.FileField(upload_to=_in_folder, max_length=255, blank=True)
    state = models.CharField(max_length=12, choices=State, default=State.PREPARING)
    done = models.FloatField(default=0)
    """How much of the preparing is done, 0 to 1."""
    message = models.TextField(blank=True)
    added = models.DateTimeField(default=timezone.now)
    crashes = models.PositiveSmallIntegerField(default=0)
    """How often preparing took its worker down without getting any further."""
    crashed_at = models.FloatField(default=0)
    """How much was done when that happened last."""

    def __str__(self) -> str:
        return self.name

    @property
    def facts(self) -> ClipFacts:
        return ClipFacts.model_validate(self.facts_json)

    @property
    def proxy_facts(self) -> ClipFacts:
        return ClipFacts.model_validate(self.proxy_facts_json)

    @property
    def emerging_in(self) -> Path:
        """The folder in which its pictures appear one by one while it is being prepared."""
        return Path(settings.DATA) / "work" / f"footage-{self.key}" / "pictures"

    @property
    def can_be_opened(self) -> bool:
        """Whether there are pictures to show, or there will be soon."""
        return self.state in (self.State.READY, self.State.PREPARING)


class Shot(models.Model):
    """One stretch of one source, and the setup that decides how it looks."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="shots")
    media = models.ForeignKey(Media, on_delete=models.PROTECT, related_name="shots")
    title = models.CharField(max_length=120)
    position = models.PositiveIntegerField(default=0)
    head = models.PositiveIntegerField(default=1)
    """Number of the revision in force; undo and redo move it."""

    class Meta:
        ordering = ("position", "pk")

    def __str__(self) -> str:
        return self.title

    def get_absolute_url(self) -> str:
        return reverse("bench", args=[self.pk])

    @property
    def revision(self) -> Revision:
        return self.revisions.get(number=self.head)

    @property
    def setup(self) -> Setup:
        return self.revision.setup


class Revision(models.Model):
    """One accepted state of a setup. Never changed once it is made."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.PositiveIntegerField(null=True)
    """Number of the revision that it was made from; None for the first."""
    document = models.JSONField()
    names = ArrayField(models.CharField(max_length=32), default=list)
    """Pictures of the store that it names itself: an index, so that no sweep has to read documents."""
    records = ArrayField(models.CharField(max_length=32), default=list)
    """Records that it names; these name pictures in turn."""
    commands = models.JSONField(default=list)
    """What was done, in order; empty for a whole setup that was put in force."""
    words = models.CharField(max_length=200, blank=True)
    """The same in words."""
    token = models.CharField(max_length=40, blank=True)
    """By which the change is known that made it: one that is sent twice is done once."""
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("shot", "number"), name="one_number_a_revision"),)
        ordering = ("number",)

    def __str__(self) -> str:
        return f"{self.shot} {self.number}"

    @property
    def setup(self) -> Setup:

        from kalyptra.library import store

        return store.read(self.document)


class NamedRevision(models.Model):
    """A revision that somebody keeps under a name."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="named")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=60)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("shot", "number"), name="one_name_a_revision"),)
        ordering = ("number",)

    def __str__(self) -> str:
        return self.name


class SavedLook(models.Model):
    """A look that somebody keeps, for themselves or for all who edit a project."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="looks")
    project = models.ForeignKey(Project, null=True, on_delete=models.CASCADE, related_name="looks")
    """Where it is shared; without one it is the owner's alone."""
    name = models.CharField(max_length=60)
    document = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("name", "pk")

    def __str__(self) -> str:
        return self.name

    @property
    def look(self) -> NamedLook:
        return NamedLook.model_validate(self.document)


class StartingLook(models.Model):
    """What somebody's new shots begin with."""

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="starting_look")
    document = models.JSONField()

    def __str__(self) -> str:
        return str(self.document.get("name", ""))
