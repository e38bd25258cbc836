"""What the page shows of commands that are on their way is what the core makes of them."""

from __future__ import annotations

import json
from typing import Any

from hypothesis import Phase, find, settings

from kalyptra.bench.tests.browser.case import BrowserCase
from kalyptra.core.edit import Command, Refused, apply
from kalyptra.core.edit.shot import SetRange
from kalyptra.core.edit.values import DropKeys, EaseKeys, MoveKeys, Put, PutKeys, SetAt
from kalyptra.core.tests.test_edit import CLIP, commands, full

SHOWN = (Put, SetAt, PutKeys, DropKeys, MoveKeys, EaseKeys, SetRange)
EACH = 12


class Preview(BrowserCase):
    def test_a_command_shows_on_the_page_as_the_core_carries_it_out(self) -> None:
        start = full().model_dump(mode="json")
        given_commands, wanted = self.cases()
        script = (
            "([start, all]) => import('/static/bench/preview.js').then((m) => all.map((one) => m.shown(start, [one])))"
        )
        self.page.goto("/sign-in/")
        shown = self.page.evaluate(script, [start, [command.model_dump(mode="json") for command in given_commands]])
        for command, ours, theirs in zip(given_commands, shown, wanted, strict=True):
            self.assertEqual(plain(ours), plain(theirs), command)

    def cases(self) -> tuple[list[Command], list[dict[str, Any]]]:
        """Commands of the kinds that the page shows at once and that are not refused, and what comes of each."""
        taken: list[tuple[Command, dict[str, Any]]] = []
        first = settings(max_examples=2000, database=None, deadline=None, phases=[Phase.generate])
        for kind in SHOWN:
            wanted = len(taken) + EACH

            def enough(command: Command, wanted: int = wanted) -> bool:
                try:
                    taken.append((command, apply(full(), [command], CLIP).model_dump(mode="json")))
                except Refused:
                    return False
                return len(taken) >= wanted

            find(commands(kind), enough, settings=first)
        return [pair for pair, _ in taken], [pair for _, pair in taken]


def plain(setup: dict[str, Any]) -> Any:
    """Numbers as both sides write them."""
    return json.loads(json.dumps(setup), parse_int=float, parse_float=lambda text: round(float(text), 9))
