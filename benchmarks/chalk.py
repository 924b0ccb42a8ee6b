"""How long a stroke's answers take while it is drawn, over HTTP on loopback; ./needle bench chalk."""

from __future__ import annotations

import http.client
import io
import json
import tempfile
import time
from datetime import date
from pathlib import Path
from typing import Any
from urllib.parse import urlparse

import numpy as np

from patient_needle.bootstrap import environment
from patient_needle.formats.obj import write_obj
from patient_needle.formats.shot_file.parcel import read_folder, write_zip
from tests.acceptance.workrooms import workroom
from tests.sheets import halved_squares, polygons

ROOT = Path(__file__).resolve().parent.parent
OUT = ROOT / "docs" / "chalk-benchmarks.md"
SIDE, SPACING = 100, 0.01  # vertices, m
STROKES, ANSWERS, HITS = 12, 40, 3  # of each brush; of each stroke; new in each answer
MANY = (0, 50, 200)  # strokes that a map has already
BRUSHES: tuple[dict[str, object], ...] = (
    {"radius_mm": 20.0},
    {"radius_mm": 60.0},
    {"radius_mm": 200.0},
    {"radius_mm": 60.0, "mirrored": True},
    {"radius_mm": 60.0, "through": True},
    {"radius_mm": 60.0, "mode": "blend"},
)


class _Page:
    """One artist's page: a connection that is kept, one shot with a sheet and one map."""

    def __init__(self, address: str) -> None:
        where = urlparse(address)
        assert where.hostname is not None
        self._line = http.client.HTTPConnection(where.hostname, where.port, timeout=60)
        self._line.connect()
        self.shot: dict[str, Any] = json.loads(self.send("POST", "shots/import", _parcel(), "octet-stream")[1])

    def send(self, method: str, path: str, body: bytes | None, kind: str = "json") -> tuple[float, bytes]:
        """Milliseconds until all of the answer is there, and the answer."""
        begun = time.perf_counter()
        self._line.request(method, f"/api/{path}", body, {"Content-Type": f"application/{kind}"})
        answer = self._line.getresponse()
        data = answer.read()
        taken = 1e3 * (time.perf_counter() - begun)
        assert answer.status < 300, data
        return taken, data

    @property
    def map_path(self) -> str:
        """Where the map's values are in the newest revision."""
        return f"shots/{self.shot['id']}/revisions/{self.shot['revision']}/garments/sheet/maps/m"

    def paint(self, brush: dict[str, object], hits: list[list[float]], going: str) -> float:
        """One answer of a stroke that is drawn."""
        body = json.dumps({"stroke": {**brush, "hits": hits}, "going": going}).encode()
        return self.send("POST", f"{self.map_path}/paint", body)[0]

    def keep(self, steps: list[dict[str, object]]) -> float:
        """The map with these steps as an edit."""
        document = self.shot["document"]
        document["garments"][0]["maps"] = [{"name": "m", "role": "weight", "steps": steps}]
        body = {"seen": self.shot["revision"], "said": "drawn", "document": document, "uploads": {}}
        taken, data = self.send("PUT", f"shots/{self.shot['id']}", json.dumps(body).encode())
        self.shot = json.loads(data)
        return taken

    def add(self, step: dict[str, object]) -> float:
        """One more step of the map, as the page sends it: what differs."""
        patch = [{"op": "add", "path": "/garments/0/maps/0/steps/-", "value": step}]
        body = {"seen": self.shot["revision"], "said": "drawn", "patch": patch}
        taken, data = self.send("PATCH", f"shots/{self.shot['id']}", json.dumps(body).encode())
        self.shot = json.loads(data)
        return taken


def chalk() -> int:
    """Measure and write; returns an exit code."""
    with tempfile.TemporaryDirectory() as folder, workroom(Path(folder), 8901) as house:
        page = _Page(house.address)
        house.patiently(f"shots/{page.shot['id']}/revisions/{page.shot['revision']}/reading")
        parts = [
            "# Benchmarks of drawing maps\n",
            "Written by `./needle bench chalk`: what one artist's page waits for, over HTTP on loopback.\n",
            f"{date.today()}; {environment.processor()}.\n",
            _strokes(page),
            _after(page),
        ]
    OUT.write_text("\n".join(parts))
    print(OUT.read_text())
    return 0


def _parcel() -> bytes:
    """A shot with one garment, a sheet of SIDE by SIDE vertices about x = 0."""
    wide = SPACING * (SIDE - 1)
    points, faces = halved_squares(wide, wide, SPACING)
    document, files = read_folder(ROOT / "demo" / "flag" / "shot.json")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "sheet.obj"
        write_obj(path, polygons("sheet", points + [-0.5 * wide, 1.0, 0.0], faces.tolist()))
        files["sheet.obj"] = path.read_bytes()
    (garment,) = document["garments"]
    maps = [{"name": "m", "role": "weight", "steps": []}]
    document["garments"] = [
        garment | {"name": "sheet", "recipe": {"kind": "file", "file": "sheet.obj"}, "holds": [], "maps": maps}
    ]
    stream = io.BytesIO()
    write_zip(stream, document, {name: [data] for name, data in files.items()})
    return stream.getvalue()


def _path(seed: int) -> list[list[float]]:
    """A stroke's hits across the sheet, a little bent, as a pointer leaves them."""
    random = np.random.default_rng(seed)
    low, high, bend = random.uniform(-0.4, 0.4, 2), random.uniform(-0.4, 0.4, 2), random.uniform(-0.1, 0.1)
    share = np.linspace(0, 1, ANSWERS * HITS)[:, None]
    flat = low + share * (high - low) + np.sin(np.pi * share) * bend
    return [[round(x, 4), round(1.5 + y, 4), 0.0, 0.0, 0.0, 1.0, 1.0] for x, y in flat]


def _strokes(page: _Page) -> str:
    """Answers while strokes are drawn, by brush."""
    empty = [page.send("GET", f"{page.map_path}", None)[0] for _ in range(50)]
    page.paint(BRUSHES[0], _path(0)[:HITS], "first of all")
    rows, every = [], []
    for number, brush in enumerate(BRUSHES):
        times = []
        for stroke in range(STROKES):
            path = _path(100 * number + stroke)
            for k in range(ANSWERS):
                times.append(page.paint(brush, path[HITS * k : HITS * (k + 1)], f"{number} {stroke}"))
        every += times
        named = ", ".join(f"{key.removesuffix('_mm')} {value}" for key, value in brush.items())
        rows.append(f"| {named} | {_figures(times)} |")
    return "\n".join(
        [
            f"## Answers while a stroke is drawn, {SIDE * SIDE:,} vertices (bar: p95 60 ms)\n",
            f"{STROKES} strokes of {ANSWERS} answers, {HITS} new hits in each. To fetch the map as it stands "
            f"takes {np.median(empty):.1f} ms (median).\n",
            "| brush (radius in mm) | median | p95 | longest |\n|---|---|---|---|",
            *rows,
            f"| all | {_figures(every)} |\n",
        ]
    )


def _after(page: _Page) -> str:
    """What follows a stroke in a map that has many: the edit, the new values, the next one's first answer."""
    rows = []
    for many in MANY:
        stroke = {"radius_mm": 60.0, "strength": 0.3}
        steps: list[dict[str, object]] = [
            {"kind": "stroke", **stroke, "hits": _path(1000 + k)} for k in range(many)
        ]
        page.keep(steps)
        page.send("GET", page.map_path, None)
        kept, values, first = [], [], []
        for k in range(5):
            kept.append(page.add({"kind": "stroke", **stroke, "hits": _path(2000 + many + k)}))
            values.append(page.send("GET", page.map_path, None)[0])
            first.append(page.paint(BRUSHES[1], _path(k)[:HITS], f"after {many} {k}"))
        rows.append(
            f"| {many} | {np.median(kept):.0f} ms | {np.median(values):.0f} ms | {np.median(first):.0f} ms |"
        )
    return "\n".join(
        [
            f"## After a stroke of {ANSWERS * HITS} hits (medians of 5)\n",
            "| strokes before it | the edit is kept | the new revision's values | first answer of the next |\n"
            "|---|---|---|---|",
            *rows,
            "",
        ]
    )


def _figures(times: list[float]) -> str:
    return f"{np.median(times):.1f} ms | {np.percentile(times, 95):.1f} ms | {max(times):.0f} ms"
