"""Write the API's own description, with the setup's, for the types of the page's scripts."""

from __future__ import annotations

import json
from typing import Any

from django.core.management.base import BaseCommand

from kalyptra.bench.api import api
from kalyptra.core import Setup

REFERENCE = "#/components/schemas/{model}"


def schema() -> dict[str, Any]:
    """The API as OpenAPI has it. To the API a setup is JSON, handed out as it is kept; here it has its fields."""
    whole: dict[str, Any] = json.loads(json.dumps(api.get_openapi_schema()))
    parts = whole["components"]["schemas"]
    setup = Setup.model_json_schema(ref_template=REFERENCE, mode="serialization")
    parts |= setup.pop("$defs")
    parts["Setup"] = setup
    for name in ("ShotNow", "ShotState"):
        if name in parts:
            parts[name]["properties"]["setup"] = {"$ref": "#/components/schemas/Setup"}
    return whole


class Command(BaseCommand):
    help = "Write the API's OpenAPI description to standard output."

    def handle(self, *args: Any, **options: Any) -> None:
        self.stdout.write(json.dumps(schema(), indent=1, sort_keys=True))
