from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "kalyptra.bench"
    label = "bench"
