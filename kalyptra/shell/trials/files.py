"""Damaged files of every kind: each is taken or refused in words, its work ends, and nothing of it stays behind."""

from __future__ import annotations

import random
import tempfile
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import requests

from kalyptra.shell.trials.instance import Client, Instance, Lost, wait_for, words_missing
from kalyptra.shell.trials.samples import Sample, damaged, samples

AT_ONCE = 3
ENDED = ("done", "failed", "cancelled")


def run(instance: Instance, count: int = 500, seed: int = 1) -> dict[str, Any]:
    """Bring `count` damaged files.

    Raises:
        Lost: an answer without words, work that does not end, or files that stay.
    """
    client = instance.enter()
    project, shots = client.project("Damaged files"), client.shots()
    shot = next(iter(shots.values()))
    before = instance.rows("select count(*) from library_media")[0][0]
    with tempfile.TemporaryDirectory() as name:
        kinds = samples(Path(name))
    chance = random.Random(seed)
    broken = [(kinds[i % len(kinds)], damaged(kinds[i % len(kinds)].data, chance)) for i in range(count)]
    tally: Counter[str] = Counter()
    slowest = 0.0

    def bring(job: tuple[int, tuple[Sample, bytes]]) -> tuple[str, float]:
        i, (sample, data) = job
        started = time.monotonic()
        answer = _send(client, project, shot, sample, data, i)
        took = time.monotonic() - started
        if missing := words_missing(answer):
            raise Lost(f"{sample.name} ({sample.goes}, number {i}): {missing}: {answer.text[:300]}")
        if answer.status_code == 200 and sample.goes.endswith("-file"):
            order = answer.json()["id"]
            wait_for(
                f"the work on {sample.name} ({sample.goes}, number {i}) ends",
                lambda: client.get(f"/api/follows/{order}").json().get("state") in ENDED,
            )
        return f"{sample.goes} {answer.status_code}", took

    with ThreadPoolExecutor(AT_ONCE) as pool:
        for said, took in pool.map(bring, enumerate(broken)):
            tally[said] += 1
            slowest = max(slowest, took)

    def all_prepared() -> bool:
        states = client.get(f"/projects/{project}/preparing/").json()["shots"]
        return all(state["state"] != "preparing" for state in states)

    wait_for("all footage that was taken is prepared or refused", all_prepared)
    client.post(f"/projects/{project}/delete/")
    after = instance.rows("select count(*) from library_media")[0][0]
    if after != before:
        raise Lost(f"{after - before} entries of footage stay after their project was deleted")
    wait_for("nothing is left over", lambda: not instance.leftovers(), 20)
    stuck = instance.rows("select count(*) from work_follow where state in ('queued', 'running')")[0][0]
    if stuck:
        raise Lost(f"{stuck} works never ended")
    return {"files": count, "slowest answer, s": round(slowest, 1), **dict(sorted(tally.items()))}


def _send(client: Client, project: int, shot: int, sample: Sample, data: bytes, i: int) -> requests.Response:
    if sample.goes == "footage":
        return client.post(f"/projects/{project}/footage/", files={"file": (sample.name, data)})
    if sample.goes == "svg":
        text = data.decode("utf-8", errors="replace")
        return client.post(f"/api/shots/{shot}/outlines/read", json={"text": text, "frame": 0})
    if sample.goes == "csv":
        return client.post(f"/api/shots/{shot}/focus/read", json={"text": data.decode("utf-8", errors="replace")})
    subject = client.state(shot)["setup"]["subjects"][0]["id"] if sample.goes == "matte-file" else f"map{i}"
    form = {"what": sample.goes, "channel": "luma", "subject": "" if sample.goes == "plate-file" else subject}
    for _ in range(600):  # one work at a time on one subject: wait for it
        answer = client.post(f"/api/shots/{shot}/imports", files={"file": (sample.name, data)}, data=form)
        if answer.status_code != 422 or "worked on" not in answer.text:
            return answer
        time.sleep(0.3)
    raise Lost("one work on a subject never ended")
