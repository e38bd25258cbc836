from django.apps import AppConfig


class DesignConfig(AppConfig):
    name = "kalyptra.design"
    label = "design"
