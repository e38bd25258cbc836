from django.apps import AppConfig


class LibraryConfig(AppConfig):
    name = "kalyptra.library"
    label = "library"
