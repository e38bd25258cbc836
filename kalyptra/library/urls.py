from django.contrib.auth.views import LogoutView
from django.urls import path, register_converter

from kalyptra.library import views


class Hexadecimal:
    """A key that a page made of a file."""

    regex = "[0-9a-f]{16,64}"

    def to_python(self, value: str) -> str:
        return value

    def to_url(self, value: str) -> str:
        return value


register_converter(Hexadecimal, "hexadecimal")

urlpatterns = [
    path("", views.projects, name="projects"),
    path("sign-in/", views.SignIn.as_view(), name="sign-in"),
    path("sign-out/", LogoutView.as_view(), name="sign-out"),
    path("enter-demo/", views.enter_demo, name="enter-demo"),
    path("theme/", views.set_theme, name="theme"),
    path("projects/<int:pk>/", views.project, name="project"),
    path("projects/<int:pk>/delete/", views.delete_project, name="delete-project"),
    path("projects/<int:pk>/footage/", views.add_footage, name="add-footage"),
    path("projects/<int:pk>/chunks/<hexadecimal:key>/<int:size>/", views.chunks, name="chunks"),
    path("projects/<int:pk>/preparing/", views.preparing, name="preparing"),
    path("shots/<int:pk>/rename/", views.rename_shot, name="rename-shot"),
    path("shots/<int:pk>/delete/", views.delete_shot, name="delete-shot"),
    path("shots/<int:pk>/stop-preparing/", views.stop_preparing, name="stop-preparing"),
    path("shots/<int:pk>/prepare/", views.prepare_again, name="prepare-again"),
    path("media/<int:pk>/poster.jpg", views.poster, name="poster"),
]
