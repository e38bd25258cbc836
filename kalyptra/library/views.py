"""Pages of the library: sign in, projects, a project's shots, and taking in footage."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any, BinaryIO, cast

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_required
from django.contrib.auth.models import User
from django.contrib.auth.views import LoginView
from django.core.files.uploadedfile import TemporaryUploadedFile
from django.db.models import Prefetch
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kalyptra.core import LongGaps, NotFootage
from kalyptra.design.theme import THEMES
from kalyptra.launch import entry
from kalyptra.library import footage
from kalyptra.library.chunked_upload import ChunkedUpload, Misplaced
from kalyptra.library.forms import ProjectForm, ShotForm
from kalyptra.library.models import Media, Project, Shot


def entry_token(request: HttpRequest) -> str:
    """The token that the request carries, where it would be taken; else nothing."""
    token = request.POST.get("enter") or request.GET.get("enter") or ""
    return token if settings.DEMO_ENTRY and entry.known(settings.ENTRY, token) else ""


class SignIn(LoginView):
    template_name = "library/sign_in.html"
    redirect_authenticated_user = True

    def get_context_data(self, **more: Any) -> dict[str, Any]:
        return super().get_context_data(entry_token=entry_token(self.request), demo_entry=settings.DEMO_ENTRY, **more)


@require_POST
def enter_demo(request: HttpRequest) -> HttpResponse:
    """Enter the demo with a token that the start command printed; it is spent by that."""
    if not settings.DEMO_ENTRY or not entry.redeem(settings.ENTRY, request.POST.get("enter", "")):
        return render(request, "library/sign_in.html", {"refused": True, "demo_entry": settings.DEMO_ENTRY}, status=403)
    user = get_object_or_404(get_user_model(), username=settings.DEMO_USER)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return redirect("projects")


@require_POST
def set_theme(request: HttpRequest) -> HttpResponse:
    back = request.POST.get("next", "/")
    if not url_has_allowed_host_and_scheme(back, {request.get_host()}):
        back = "/"
    response = redirect(back)
    chosen = request.POST.get("theme", "")
    response.set_cookie("theme", chosen if chosen in THEMES else THEMES[0], max_age=31536000, samesite="Lax")
    return response


@login_required
def projects(request: HttpRequest) -> HttpResponse:
    form = ProjectForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        form.instance.owner = cast(User, request.user)
        return redirect(form.save())
    shots = Prefetch("shots", Shot.objects.select_related("media"))
    projects = Project.objects.open_to(request.user).prefetch_related(shots)
    return render(request, "library/projects.html", {"projects": projects, "form": form})


@login_required
def project(request: HttpRequest, pk: int) -> HttpResponse:
    project = get_object_or_404(Project.objects.open_to(request.user), pk=pk)
    form = ProjectForm(request.POST or None, instance=project)
    if request.method == "POST" and form.is_valid():
        form.save()
        return redirect(project)
    shots = project.shots.select_related("media").prefetch_related("renders")
    return render(request, "library/project.html", {"project": project, "shots": shots, "form": form})


@login_required
@require_POST
def delete_project(request: HttpRequest, pk: int) -> HttpResponse:
    project = get_object_or_404(Project, pk=pk, owner=request.user)
    for shot in project.shots.all():
        footage.remove_shot(shot)
    project.delete()
    messages.info(request, f"{project.title} was deleted.")
    return redirect("projects")


@login_required
@require_POST
def add_footage(request: HttpRequest, pk: int) -> HttpResponse:
    """Take in one file; answers with JSON, since the page sends it with a progress bar.

    A clip whose few pictures lie far apart is asked about; sent again with `gaps`, it is taken with its gaps shortened.
    """
    project = get_object_or_404(Project.objects.open_to(request.user), pk=pk)
    upload, sent = request.FILES.get("file"), _chunked_of(request, project)
    if isinstance(upload, TemporaryUploadedFile):
        path, name = Path(upload.temporary_file_path()), upload.name or "footage"
    elif sent and sent.whole:
        path, name = sent.path, request.POST.get("name", "footage")[:200]
    elif sent:
        return JsonResponse({"error": "Only a part of the file is here. Send the rest of it first."}, status=409)
    else:
        return JsonResponse({"error": "No file came with the request. Choose one and send it again."}, status=400)
    shorten = request.POST.get("gaps") == "shorten"
    try:
        shot = footage.take_in(project, path, name, request.user, shorten_gaps=shorten)
    except LongGaps as reason:
        return JsonResponse({"error": f"{name}: {reason} Nothing was kept.", "ask": "gaps"}, status=409)
    except NotFootage as reason:
        if sent:
            sent.forget()
        return JsonResponse({"error": f"{name}: {reason} Nothing was kept."}, status=422)
    if sent:
        sent.forget()
    return JsonResponse({"shot": shot.pk, "title": shot.title})


def _chunked_of(request: HttpRequest, project: Project) -> ChunkedUpload | None:
    """The file that came in chunks before this request, where it names one."""
    key, size = request.POST.get("key", ""), request.POST.get("size", "")
    if not re.fullmatch(r"[0-9a-f]{16,64}", key) or not re.fullmatch(r"[0-9]{1,15}", size):
        return None
    return ChunkedUpload(cast(User, request.user).pk, project.pk, key, int(size))


@login_required
@require_http_methods(["GET", "PUT"])
def chunks(request: HttpRequest, pk: int, key: str, size: int) -> HttpResponse:
    """A file that comes in chunks: how much of it is there, also before the first one; or its next chunk.

    A chunk that does not begin where the last one ended is refused with where that is.
    """
    project = get_object_or_404(Project.objects.open_to(request.user), pk=pk)
    sent = ChunkedUpload(cast(User, request.user).pk, project.pk, key, size)
    if request.method == "GET":
        return JsonResponse({"offset": sent.offset})
    offset = request.GET.get("offset", "")
    if not re.fullmatch(r"[0-9]{1,15}", offset):
        return JsonResponse({"error": "Say at which byte the chunk begins."}, status=400)
    try:
        return JsonResponse({"offset": sent.add(int(offset), cast(BinaryIO, request))})
    except Misplaced as place:
        return JsonResponse({"error": f"{str(place).capitalize()}.", "offset": place.offset}, status=409)


@login_required
@require_GET
def preparing(request: HttpRequest, pk: int) -> HttpResponse:
    """How far the footage of a project's shots is prepared, for the page to follow."""
    project = get_object_or_404(Project.objects.open_to(request.user), pk=pk)
    return JsonResponse(
        {"shots": [{"id": s.pk, "state": s.media.state, "done": s.media.done, "message": s.media.message}
                   for s in project.shots.select_related("media")]}
    )  # fmt: skip


@login_required
@require_POST
def rename_shot(request: HttpRequest, pk: int) -> HttpResponse:
    shot = _shot(request, pk)
    form = ShotForm(request.POST, instance=shot)
    if form.is_valid():
        form.save()
    return redirect(shot.project)


@login_required
@require_POST
def delete_shot(request: HttpRequest, pk: int) -> HttpResponse:
    shot = _shot(request, pk)
    footage.remove_shot(shot)
    messages.info(request, f"{shot.title} was deleted.")
    return redirect(shot.project)


@login_required
@require_POST
def stop_preparing(request: HttpRequest, pk: int) -> HttpResponse:
    shot = _shot(request, pk)
    footage.stop_preparing(shot)
    return redirect(shot.project)


@login_required
@require_POST
def prepare_again(request: HttpRequest, pk: int) -> HttpResponse:
    shot = _shot(request, pk)
    footage.prepare_again(shot)
    return redirect(shot.project)


@login_required
@require_GET
def poster(request: HttpRequest, pk: int) -> FileResponse:
    shots = Shot.objects.filter(project__in=Project.objects.open_to(request.user))
    media = get_object_or_404(Media, pk=pk, pk__in=shots.values("media"))
    if not media.poster:
        raise Http404("no picture yet")
    response = FileResponse(media.poster.open(), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=3600"
    return response


def _shot(request: HttpRequest, pk: int) -> Shot:
    return get_object_or_404(Shot, pk=pk, project__in=Project.objects.open_to(request.user))
