"""Twenty pages that poll and listen while a take runs: how long each call of the API takes."""

from __future__ import annotations

import tempfile
import threading
import time
import urllib.request
from pathlib import Path

import numpy as np

from tests.acceptance.workrooms import Workroom, workroom
from tests.houses import until

PAGES, SECONDS, PAUSE = 20, 30.0, 0.25
CALLS = {
    "list of takes": "api/shots/1/takes",
    "pulse": "api/takes/{take}/pulse",
    "a frame": "api/takes/{take}/garments/apron-skirt/positions/{frame}/{frame}",
    "the house": "api/workroom",
}


def pages() -> str:
    """The section of the benchmarks."""
    with tempfile.TemporaryDirectory() as folder, workroom(Path(folder), 8900) as house:
        seen = house.ask("shots/1")["revision"]
        take = house.ask("shots/1/takes", {"seen": seen})["id"]
        until(lambda: house.ask(f"takes/{take}")["done"] > 5, 240)
        before = house.ask(f"takes/{take}")["done"]
        times, failed, heard = _crowd(house, take)
        made = house.ask(f"takes/{take}")["done"] - before
        house.ask(f"takes/{take}/stop", {})
    times["all"] = [t for each in times.values() for t in each]
    rows = [
        f"| {name} | {len(t)} | {np.median(t):.0f} ms | {np.percentile(t, 95):.0f} ms | {max(t):.0f} ms |"
        for name, t in times.items()
    ]
    lines = [
        f"## {PAGES} pages on one workroom while a take runs (bar: p95 under 200 ms)\n",
        f"{SECONDS:.0f} s; each page holds an event stream and calls four times a second; the run made {made} "
        f"frames meanwhile, {failed} calls failed, {heard} events were heard.\n",
        "| call | times | median | p95 | longest |\n|---|---|---|---|---|",
        *rows,
    ]
    return "\n".join(lines) + "\n"


def _crowd(house: Workroom, take: int) -> tuple[dict[str, list[float]], int, int]:
    times: dict[str, list[float]] = {name: [] for name in CALLS}
    failed, heard = [], []
    over = time.monotonic() + SECONDS

    def listen() -> None:
        with urllib.request.urlopen(f"{house.address}api/events", timeout=30) as stream:
            while time.monotonic() < over:
                if stream.readline().startswith(b"data"):
                    heard.append(1)

    def call() -> None:
        while time.monotonic() < over:
            for name, path in CALLS.items():
                begun = time.perf_counter()
                try:
                    url = house.address + path.format(take=take, frame=963)
                    with urllib.request.urlopen(url, timeout=30) as answer:
                        answer.read()
                    times[name].append(1e3 * (time.perf_counter() - begun))
                except OSError:
                    failed.append(name)
                time.sleep(PAUSE)

    threads = [threading.Thread(target=work, daemon=True) for _ in range(PAGES) for work in (listen, call)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(SECONDS + 40)
    return times, len(failed), len(heard)
