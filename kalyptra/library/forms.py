"""Forms of the library's pages."""

from __future__ import annotations

from django import forms

from kalyptra.library.models import Project, Shot


class ProjectForm(forms.ModelForm):  # type: ignore[type-arg]
    class Meta:
        model = Project
        fields = ("title",)


class ShotForm(forms.ModelForm):  # type: ignore[type-arg]
    class Meta:
        model = Shot
        fields = ("title",)
