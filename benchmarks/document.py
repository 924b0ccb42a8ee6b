"""The document that measurements are written into, part by part."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import ProcessPoolExecutor
from datetime import date
from multiprocessing import get_context
from pathlib import Path
from typing import TypeVar

from patient_needle.bootstrap import environment

T = TypeVar("T")


def put_in(document: str, name: str, text: str, order: Iterable[str], versions: Mapping[str, str]) -> str:
    """The document with the part `name` replaced by `text`, and without what is measured no more."""
    head = (
        "# Benchmarks\n\nWritten by `./needle bench`, part by part. Compare ratios within one part, not "
        "milliseconds between parts.\n\nThe last was written with "
        f"{', '.join(f'{package} {version}' for package, version in versions.items())}.\n"
    )
    return "\n".join([head, *_bodies(document, name, text, order)])


def measured(
    title: str, out: Path, parts: Mapping[str, Callable[[], str]], named: Iterable[str], *, quick: bool
) -> int:
    """Measure the named parts, or all, into the document `out`; the others stay. A quick look is shown and not
    written. Returns an exit code.
    """
    chosen = list(named) or list(parts)
    for name in chosen:
        if name not in parts:
            print(f"{out.name} has no part {name}: there are {', '.join(parts)}")
            return 2
    for name in chosen:
        text = parts[name]()
        print(text, flush=True)
        if quick:
            continue
        stamp = (
            f"Measured {date.today()} on {environment.processor()}, {environment.use_threads(None)} threads.\n"
        )
        before = out.read_text() if out.exists() else ""
        out.write_text("\n".join([f"# {title}\n", *_bodies(before, name, f"{text}\n{stamp}", parts)]))
    return 0


def on_each_core(work: Callable[[int], T], seeds: int) -> list[T]:
    """What `work` gives for the seeds from 0, one process on each core: for what is judged, not timed."""
    cores = environment.use_threads(None)
    pool = ProcessPoolExecutor(cores, get_context("spawn"), environment.use_threads, (1,))
    with pool:
        return list(pool.map(work, range(seeds)))


def _bodies(document: str, name: str, text: str, order: Iterable[str]) -> list[str]:
    pieces = re.split(r"^<!-- (\w+) -->\n", document, flags=re.M)
    kept = dict(zip(pieces[1::2], pieces[2::2], strict=True)) | {name: text}
    return [f"<!-- {one} -->\n{kept[one].rstrip()}\n" for one in order if one in kept]
