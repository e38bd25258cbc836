from django.apps import AppConfig


class WorkConfig(AppConfig):
    name = "kalyptra.work"
    label = "work"
