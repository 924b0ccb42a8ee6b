"""Two hundred pages that listen, two hundred clients that are slow in every way, and one page that asks.

python -m benchmarks.crowd ADDRESS    the same against a workroom that is open
"""

from __future__ import annotations

import asyncio
import contextlib
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from urllib.parse import urlsplit

import numpy as np

from tests.acceptance.workrooms import workroom

STREAMS, SLOW, SECONDS = 200, 200, 30.0
CALLS = ("api/shots", "api/shots/1", "api/shots/1/takes", "api/workroom", "", "api/openapi.json")
BAR = 1000.0  # ms at the 95th percentile


def crowd() -> str:
    """The section of the benchmarks, of a workroom of its own."""
    with tempfile.TemporaryDirectory() as folder, workroom(Path(folder), 8910) as house:
        alone, _ = calls(house.address, 6.0)
        times, failed, there = beside_a_crowd(house.address)
    rows = [
        f"| {name} | {len(t)} | {np.median(t):.0f} ms | {np.percentile(t, 95):.0f} ms | {max(t):.0f} ms |"
        for name, t in (("nobody else", alone), ("the crowd", times))
    ]
    lines = [
        f"## A page beside {STREAMS} streams and {SLOW} slow clients (bar: p95 under {BAR:.0f} ms)\n",
        f"One page calls for {SECONDS:.0f} s, one call after the other. A third of the slow clients drip a "
        "head, a third a body, a third read an answer a few bytes at a time; what is cut off comes again. "
        f"{there} of {STREAMS + SLOW} were connected at the end; {failed} calls failed.\n",
        "| beside | calls | median | p95 | longest |\n|---|---|---|---|---|",
        *rows,
    ]
    return "\n".join(lines) + "\n"


def beside_a_crowd(address: str) -> tuple[list[float], int, int]:
    """Times in ms of calls that succeed, how many fail, and how many of the crowd are connected at the end."""
    others = subprocess.Popen(
        [sys.executable, "-m", "benchmarks.crowd", address, "--only-crowd"], stdout=subprocess.PIPE, text=True,
        cwd=Path(__file__).resolve().parents[1],
    )  # fmt: skip
    assert others.stdout is not None
    time.sleep(8.0)  # they have all come, and the first have been cut off and come again
    times, failed = calls(address, SECONDS)
    said, _ = others.communicate(timeout=60)
    return times, failed, int(said.split()[-1])


def calls(address: str, seconds: float) -> tuple[list[float], int]:
    """What one page asks, one call after the other: ms of each that succeeds, and how many fail."""
    times, failed, over = [], 0, time.monotonic() + seconds
    while time.monotonic() < over:
        for path in CALLS:
            begun = time.perf_counter()
            try:
                with urllib.request.urlopen(f"{address}{path}", timeout=30) as answer:
                    answer.read()
                times.append(1e3 * (time.perf_counter() - begun))
            except OSError:
                failed += 1
            time.sleep(0.02)
    return times, failed


async def _come(address: str) -> int:
    """The crowd, until its time is over: how many are connected then."""
    place, over = urlsplit(address), time.monotonic() + SECONDS + 12.0
    head = f"Host: {place.netloc}\r\n"
    there: set[int] = set()

    async def listen(number: int) -> None:
        await _visit(number, f"GET /api/events HTTP/1.1\r\n{head}\r\n", b"", None)

    async def drip_head(number: int) -> None:
        await _visit(number, f"GET /api/shots HTTP/1.1\r\n{head}", b"X-A: b\r\n", 0.5)

    async def drip_body(number: int) -> None:
        kind = "Content-Type: application/json\r\nContent-Length: 900000\r\n\r\n"
        await _visit(number, f"POST /api/shots HTTP/1.1\r\n{head}{kind}", b" " * 600, 0.5)

    async def read_slowly(number: int) -> None:
        await _visit(number, f"GET /api/openapi.json HTTP/1.1\r\n{head}\r\n", b"", 0.5)

    async def _visit(number: int, start: str, more: bytes, pause: float | None) -> None:
        reader, writer = await asyncio.open_connection(place.hostname, place.port, limit=256)
        there.add(number)
        try:
            writer.write(start.encode())
            while time.monotonic() < over:
                if more:
                    writer.write(more)
                    await writer.drain()
                else:
                    piece = await asyncio.wait_for(reader.read(64), max(0.1, over - time.monotonic()))
                    if not piece:
                        break
                if pause is not None:
                    await asyncio.sleep(pause)
                if more and reader.at_eof():
                    break
        finally:
            there.discard(number)
            writer.close()

    async def again(number: int) -> None:
        kinds = (drip_head, drip_body, read_slowly)
        kind = listen if number < STREAMS else kinds[number % 3]
        await asyncio.sleep(2.0 * number / (STREAMS + SLOW))
        while time.monotonic() < over - 1.0:
            with contextlib.suppress(OSError, TimeoutError):
                await kind(number)
            await asyncio.sleep(0.2)

    running = [asyncio.ensure_future(again(number)) for number in range(STREAMS + SLOW)]
    await asyncio.sleep(max(0.0, over - 2.0 - time.monotonic()))
    connected = len(there)
    for one in running:
        one.cancel()
    await asyncio.gather(*running, return_exceptions=True)
    return connected


def main() -> None:
    """The crowd alone, or a page beside it, against an address."""
    if "--only-crowd" in sys.argv:
        print(asyncio.run(_come(sys.argv[1])))
        return
    alone, _ = calls(sys.argv[1], 6.0)
    times, failed, there = beside_a_crowd(sys.argv[1])
    for name, each in (("alone", alone), ("beside the crowd", times)):
        figures = np.percentile(each, [50, 95, 100]) if each else np.full(3, np.nan)
        print(
            f"{name}: {len(each)} calls, "
            f"median {figures[0]:.0f} ms, p95 {figures[1]:.0f}, longest {figures[2]:.0f}"
        )
    print(f"{failed} failed, {there} of {STREAMS + SLOW} connected at the end")


if __name__ == "__main__":
    main()
