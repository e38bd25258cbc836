"""Kills of every process while people work: what was acknowledged stays, what was begun ends, and all is back soon."""

from __future__ import annotations

import hashlib
import os
import random
import secrets
import signal
import threading
import time
from collections import Counter
from typing import Any

import requests

from kalyptra.shell.trials.instance import Client, Instance, Lost, wait_for, words_missing

ROLES = ("worker", "web process", "helper", "postmaster", "web master")
BACK_WITHIN = 10.0
"""Seconds after a kill within which a change is saved again, on a machine that has nothing else to do."""
PAUSE = 0.15
"""Seconds between one change and the next."""
SPAN = 9
"""Last frame of the ranges that are rendered."""


class Saver(threading.Thread):
    """Saves one change after the other, as the page does: tried again until it is acknowledged."""

    def __init__(self, client: Client, shot: int) -> None:
        super().__init__(daemon=True)
        self.client, self.shot = client, shot
        self.over = threading.Event()
        self.acknowledged: list[float] = []
        self.refused: Counter[str] = Counter()
        self.wrong: list[str] = []

    def run(self) -> None:
        state = self._state()
        value = 1.0
        while not self.over.is_set():
            value = round(value + 0.001, 3)
            answer = self._save(state["revision"], value)
            if answer is not None:
                state = answer
                self.acknowledged.append(value)
            time.sleep(PAUSE)

    def _save(self, base: int, value: float) -> dict[str, Any] | None:
        put = {"do": "put", "path": "plate.growth", "value": value}
        change = {"base": base, "commands": [put], "token": secrets.token_hex(10)}
        while not self.over.is_set():
            try:
                answer = self.client.post(f"/api/shots/{self.shot}/changes", json=change)
            except requests.RequestException:
                self.refused["no answer"] += 1
                time.sleep(0.2)
                continue
            if answer.status_code == 200:
                return dict(answer.json())
            self.refused[str(answer.status_code)] += 1
            if missing := words_missing(answer):
                self.wrong.append(f"{missing}: {answer.text[:200]}")
                return None
            time.sleep(0.2)
        return None

    def _state(self) -> dict[str, Any]:
        return self.client.state(self.shot)


def run(instance: Instance, count: int = 60, seed: int = 1, back_within: float = BACK_WITHIN) -> dict[str, Any]:
    """Kill `count` processes.

    Args:
        instance: the instance.
        count: how many are killed.
        seed: of when each is killed.
        back_within: seconds within which a change is saved again.

    Raises:
        Lost: an acknowledged change is gone, work does not end, renders differ, or it is not back soon.
    """
    client = instance.enter()
    shots = client.shots()
    edited, worked = list(shots.values())[:2]
    saver = Saver(client, edited)
    saver.start()
    chance, kills = random.Random(seed), Counter[str]()
    renders: list[int] = []
    longest = dict.fromkeys(ROLES, 0.0)
    for number in range(count):
        role = ROLES[number % len(ROLES)]
        if len(renders) < 2 + number // 12:
            renders += _order(client, worked)
        pid = _find(instance, role)
        time.sleep(chance.uniform(0.2, 1.2))
        pid = instance.process(role) or pid
        if pid is None:
            raise Lost(f"there is no {role} to kill")
        before = len(saver.acknowledged)
        os.kill(pid, signal.SIGKILL)
        kills[role] += 1
        started = time.monotonic()
        wait_for(f"a change is saved after the {role} was killed", lambda: len(saver.acknowledged) > before + 1)  # noqa: B023
        longest[role] = max(longest[role], time.monotonic() - started)
    saver.over.set()
    saver.join(60)
    if saver.wrong:
        raise Lost(f"{len(saver.wrong)} answers without words, such as {saver.wrong[0]}")
    ended = ("done", "failed", "cancelled")
    wait_for("every render ends", lambda: all(render["state"] in ended for render in _renders(client, worked)), 600, 1)
    states = {render["id"]: render for render in _renders(client, worked)}
    failed = [states[render]["message"] for render in renders if states[render]["state"] != "done"]
    if failed:
        raise Lost(f"{len(failed)} of {len(renders)} renders failed: {failed[0]}")
    files = {hashlib.sha256(client.get(f"/renders/{render}/result.mp4").content).hexdigest() for render in renders}
    if len(files) != 1:
        raise Lost(f"{len(files)} different files came of {len(renders)} renders of the same")
    rows = instance.rows(f"select document->'plate'->>'growth' from library_revision where shot_id = {edited}")
    saved = {float(value) for (value,) in rows}
    gone = [value for value in saver.acknowledged if value not in saved]
    if gone:
        raise Lost(f"{len(gone)} of {len(saver.acknowledged)} acknowledged changes are gone, the first is {gone[0]}")
    ended_in = _restart(instance, client, worked)
    late = {role: seconds for role, seconds in longest.items() if seconds > back_within}
    if late:
        raise Lost(f"not back within {back_within:.0f} s: {late}")
    wait_for("nothing is left over", lambda: not instance.leftovers(), pause=1)
    return {
        "kills": count, **{f"killed {role}": kills[role] for role in ROLES},
        **{f"back after {role}, s": round(longest[role], 1) for role in ROLES},
        "changes acknowledged, none lost": len(saver.acknowledged), "renders, all alike": len(renders),
        "ended in the middle of a render, s": round(ended_in, 1),
        "answers while something was away": dict(saver.refused),
    }  # fmt: skip


def _restart(instance: Instance, client: Client, shot: int) -> float:
    """End all in good order in the middle of a render, and start again: it goes on. The seconds that ending took."""
    order = client.post(f"/api/shots/{shot}/renders", json={"first": 1, "last": 24, "gaps": True}).json()["id"]

    def state() -> dict[str, Any]:
        return next(
            (render for render in _renders(client, shot) if render["id"] == order), {"state": "?", "frames_done": 0}
        )

    wait_for("a render gets under way", lambda: state()["frames_done"] > 6)
    before = len(instance.cut_off())
    took = instance.stop()
    if cut := instance.cut_off()[before:]:
        raise Lost(f"in the middle of a render it did not end in good order within {took:.0f} s: {cut[0]}")
    instance.start()
    wait_for("the render goes on after a restart", lambda: state()["state"] == "done", 300, 0.5)
    return took


def _find(instance: Instance, role: str) -> int | None:
    """A process of a role, waited for a while: helpers come and go."""
    end = time.monotonic() + 60
    while time.monotonic() < end:
        if pid := instance.process(role):
            return pid
        time.sleep(0.1)
    return None


def _order(client: Client, shot: int) -> list[int]:
    for _ in range(50):
        try:
            answer = client.post(f"/api/shots/{shot}/renders", json={"first": 0, "last": SPAN, "gaps": True})
            if answer.status_code == 200:
                return [int(answer.json()["id"])]
        except requests.RequestException:
            pass
        time.sleep(0.3)
    raise Lost("no render could be ordered")


def _renders(client: Client, shot: int) -> list[dict[str, Any]]:
    try:
        answer = client.get(f"/api/shots/{shot}/renders")
        return list(answer.json()) if answer.status_code == 200 else [{"id": 0, "state": "?"}]
    except requests.RequestException:
        return [{"id": 0, "state": "?"}]
