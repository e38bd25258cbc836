"""Every operation of the API with requests that its own description allows, and some that it does not."""

from __future__ import annotations

import random
import time
import warnings
from collections import Counter
from typing import Any

from kalyptra.shell.trials.instance import Instance, Lost, words_missing

LONGEST = 20.0
"""Seconds that an answer may take."""


def run(instance: Instance, examples: int = 60, seed: int = 1) -> dict[str, Any]:
    """Ask each operation `examples` times.

    Raises:
        Lost: a 5xx other than 503, a refusal without words, or one that takes too long.
    """
    import schemathesis
    from hypothesis import HealthCheck, Phase, given
    from hypothesis import settings as hypothesis_settings

    client = instance.enter()
    shots = list(client.shots().values())
    schema = schemathesis.openapi.from_dict(client.get("/api/openapi.json").json())
    calm = hypothesis_settings(
        max_examples=examples, deadline=None, database=None, derandomize=True, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    chance, tally = random.Random(seed), Counter[str]()
    operations, slowest, wrong = 0, [0.0], list[str]()
    for result in schema.get_all_operations():
        operation = result.ok()  # type: ignore[union-attr]  # our own description is sound, or this raises
        operations += 1

        @calm
        @given(case=operation.as_strategy())
        def asked(case: Any) -> None:
            # Mostly of a shot that there is: an address of nothing tells little.
            for name in ("shot_id",):
                if name in (case.path_parameters or {}) and chance.random() < 0.85:
                    case.path_parameters[name] = shots[0]
            if "revision" in (case.path_parameters or {}) and chance.random() < 0.7:
                case.path_parameters["revision"] = 1
            if isinstance(case.body, dict) and "base" in case.body and chance.random() < 0.7:
                case.body["base"] = 1
            case.cookies = client.session.cookies.get_dict()  # not made up: strangers get 401, which tells little
            headers = {"X-CSRFToken": client.session.cookies.get("csrftoken", "")}
            started = time.monotonic()
            answer = case.call(base_url=client.address, session=client.session, headers=headers, timeout=120)
            took = time.monotonic() - started
            slowest[0] = max(slowest[0], took)
            tally[str(answer.status_code)] += 1
            missing = words_missing(answer) or (f"took {took:.0f} s" if took > LONGEST else "")
            if missing and len(wrong) < 12:
                asked_for = f"{case.method} {case.formatted_path}: {str(case.body)[:400]}"
                wrong.append(f"{asked_for}: {missing}: {answer.text[:200]}")

        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            asked()
    if wrong:
        raise Lost("\n  ".join(wrong))
    return {
        "operations": operations,
        "slowest, s": round(slowest[0], 1),
        "requests": tally.total(),
        "answers": dict(sorted(tally.items())),
    }
