from django.apps import AppConfig

from kalyptra.core import keep_freed_memory


class BenchConfig(AppConfig):
    name = "kalyptra.bench"
    label = "bench"

    def ready(self) -> None:
        keep_freed_memory()
