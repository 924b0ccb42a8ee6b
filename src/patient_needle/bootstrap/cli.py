"""The commands behind ./needle that need the product's own packages: sim, bench, warm, doctor, schema."""

from __future__ import annotations

import sys

from . import environment

environment.prepare(alone=sys.argv[1:2] in (["sim"], ["mend"]))

import json  # noqa: E402
import time  # noqa: E402
from pathlib import Path  # noqa: E402
from typing import Annotated  # noqa: E402

import typer  # noqa: E402

from ..core.model.errors import NeedleError, ShotError  # noqa: E402
from ..core.model.tolerances import ALL  # noqa: E402
from ..formats.registry import cache_endings  # noqa: E402
from ..formats.shot_file.document import shot_file_schema  # noqa: E402
from ..session.folder import Progress  # noqa: E402
from . import headless, warming  # noqa: E402

app = typer.Typer(add_completion=False, no_args_is_help=True, help="Patient Needle")


@app.callback()
def _root() -> None:
    """Drapes, simulates and caches garment cloth."""


@app.command()
def sim(
    shot: Annotated[Path, typer.Argument(help="The shot file, JSON")],
    out: Annotated[Path, typer.Option(help="Folder for the caches and report.json")],
    frames: Annotated[str | None, typer.Option(help="A:B, instead of the shot's own range")] = None,
    patience: Annotated[str | None, typer.Option(help=" | ".join(ALL))] = None,
    threads: Annotated[int | None, typer.Option(min=1, help="At most what the machine has")] = None,
    format: Annotated[str, typer.Option(help="pc2, mdd, abc or usd")] = "pc2",  # noqa: A002
    resume: Annotated[bool, typer.Option("--resume", help="Go on with a stopped run")] = False,
) -> None:
    """Simulate every garment of a shot: one cache per garment, and report.json."""
    try:
        request = headless.Request(
            shot, out, _range(frames), _patience(patience), _ending(format), resume,
            environment.use_threads(threads),
        )  # fmt: skip
        report = headless.simulate_shot(request, _Teller())
    except NeedleError as error:
        typer.echo(f"needle: {error.line()}", err=True)
        raise typer.Exit(1) from None
    except KeyboardInterrupt:
        typer.echo("\nStopped. The cache holds the finished frames; go on with --resume.", err=True)
        raise typer.Exit(130) from None
    typer.echo(f"Report: {report}")


@app.command()
def make(
    shot: Annotated[Path, typer.Argument(help="The shot file, JSON")],
    garment: Annotated[str, typer.Argument(help="The garment's name")],
    out: Annotated[Path, typer.Option(help="The mesh to write: .obj, .glb, .usda or .usdc")],
    spacing: Annotated[float | None, typer.Option(help="mm, instead of the recipe's own")] = None,
    unit: Annotated[str, typer.Option(help="m, cm, mm or inch")] = "m",
) -> None:
    """Make a garment by its recipe and write its mesh, as it is placed."""
    from .garments import write_garment

    try:
        mesh = write_garment(shot, garment, out, spacing, unit)
    except NeedleError as error:
        typer.echo(f"needle: {error.line()}", err=True)
        raise typer.Exit(1) from None
    typer.echo(f"{out}: {mesh.vertex_count:,} vertices, {mesh.face_count:,} faces")


@app.command()
def drape(
    shot: Annotated[Path, typer.Argument(help="The shot file, JSON")],
    fitting: Annotated[str, typer.Option(help="Name of the fitting to write")],
    out: Annotated[Path, typer.Option(help="Folder for the fitting, its meshes and its report")],
    until: Annotated[float, typer.Option(min=0.01, help="mm that any cloth may have left to go")] = 0.2,
    seconds: Annotated[float, typer.Option(min=0.1, max=600, help="Of cloth time at most")] = 60.0,
    begin: Annotated[str | None, typer.Option(help="A fitting that the shot keeps, to begin from")] = None,
    log: Annotated[Path | None, typer.Option(help="What was done by hand, to be done again first")] = None,
    threads: Annotated[int | None, typer.Option(min=1, help="At most what the machine has")] = None,
) -> None:
    """Let the garments of a shot come to rest on the figure."""
    from .draping import DrapeRequest, drape_shot

    def told(steps: int, left: float | None) -> None:
        typer.echo(
            f"step {steps}: {'not measured yet' if left is None else f'{left * 1e3:.2f} mm still to go'}"
        )

    try:
        used = environment.use_threads(threads)
        report = drape_shot(DrapeRequest(shot, fitting, out, until, seconds, begin, log, used), told)
    except NeedleError as error:
        typer.echo(f"needle: {error.line()}", err=True)
        raise typer.Exit(1) from None
    rest = "at rest" if report["at_rest"] else "not at rest yet"
    typer.echo(f"{out}: {rest} after {report['steps']} steps, {report['seconds']:.1f} s of cloth time")


@app.command()
def mend(
    shot: Annotated[Path, typer.Argument(help="The shot file, JSON")],
    cache: Annotated[
        list[str], typer.Option(help="A garment's cache: NAME=PATH, or a folder with all of them")
    ],
    out: Annotated[Path, typer.Option(help="Folder for the mended caches and mend.json")],
    mend_all: Annotated[
        bool, typer.Option("--all", help="Mend all that can be mended; else snags are listed")
    ] = False,
    unit: Annotated[str, typer.Option(help="Of the caches: m, dm, cm, mm, in or ft")] = "m",
    up: Annotated[str, typer.Option(help="Of the caches: y, z or x")] = "y",
    starts_at: Annotated[
        int | None, typer.Option(help="Frame of the first sample, where a cache does not say")
    ] = None,
    threads: Annotated[int | None, typer.Option(min=1, help="At most what the machine has")] = None,
    format: Annotated[str, typer.Option(help="pc2, mdd, abc or usd")] = "pc2",  # noqa: A002
) -> None:
    """Find every snag of a cache, and mend it with proof. Ends with 3 when a snag is left."""
    from ..session.bringing import HowRead
    from .mending import MendRequest, mend_shot

    try:
        if up not in ("x", "y", "z"):
            raise ShotError(f"'{up}' is no axis", where="--up", remedy="Use x, y or z")
        environment.use_threads(threads)
        how = HowRead(unit, up, starts_at)
        report = mend_shot(MendRequest(shot, tuple(cache), out, how, mend_all, _ending(format)), typer.echo)
    except NeedleError as error:
        typer.echo(f"needle: {error.line()}", err=True)
        raise typer.Exit(1) from None
    left = report["snags_left"]
    typer.echo(f"{out}: {len(report['remedies'])} remedies, {len(left)} snags left, {report['seconds']:.1f} s")
    for one in left:
        where = f" at the {one['where']}" if one["where"] else ""
        typer.echo(
            f"  {one['kind']}{where}, frames {one['first']} to {one['last']}: {one['why'] or 'not tried'}"
        )
    if left:
        raise typer.Exit(3)


def _range(text: str | None) -> tuple[int, int] | None:
    if text is None:
        return None
    try:
        first, last = (int(part) for part in text.split(":"))
    except ValueError:
        raise ShotError(
            f"'{text}' is not a frame range", where="--frames", remedy="Write it as 1001:1048"
        ) from None
    return first, last


def _patience(name: str | None) -> str | None:
    if name is not None and name not in ALL:
        raise ShotError(
            f"'{name}' is not a patience", where="--patience", remedy=f"Use one of {', '.join(ALL)}"
        )
    return name


def _ending(name: str) -> str:
    if f".{name}" not in cache_endings():
        known = ", ".join(ending[1:] for ending in cache_endings())
        raise ShotError(f"'{name}' is not a cache format", where="--format", remedy=f"Use one of {known}")
    return name


class _Teller:
    """One line per frame on a terminal that is watched, every tenth frame in a log."""

    def __init__(self) -> None:
        self._start = time.monotonic()
        self._begun: int | None = None

    def __call__(self, progress: Progress) -> None:
        if self._begun is None:
            self._begun = progress.done - 1
        spent = time.monotonic() - self._start
        each = spent / (progress.done - self._begun)
        left = each * (progress.total - progress.done)
        result = progress.result
        where = "run-in" if not result.delivered else "shot"
        line = (
            f"{progress.garment}: frame {result.frame} ({where}), {progress.done} of {progress.total}, "
            f"{each:.2f} s a frame, {left:.0f} s left, most edges stretch {result.stretch.p99:.1%}, "
            f"{result.crossing_colliders} crossings with colliders"
        )
        if sys.stdout.isatty():
            end = "\n" if progress.done == progress.total else ""
            sys.stdout.write(f"\r\x1b[2K{line}{end}")
        elif progress.done % 10 == 0 or progress.done == progress.total:
            sys.stdout.write(line + "\n")
        sys.stdout.flush()


@app.command()
def worker(
    queues: Annotated[list[str] | None, typer.Argument(help="runs, short; all without any")] = None,
) -> None:
    """One more worker for the database that NEEDLE_DATABASE names."""
    from . import worker_process

    worker_process.main(queues or [])


@app.command()
def openapi() -> None:
    """The API's description, OpenAPI 3.1."""
    from ..web.app import openapi as described

    typer.echo(json.dumps(described(), indent=1, sort_keys=True))


@app.command()
def warm() -> None:
    """Compile the engine's kernels once, showing how far it is."""
    warming.warm(lambda done, total, what: typer.echo(f"  compiling {done} of {total}: {what}"))


@app.command()
def doctor() -> None:
    """Versions, cores, threading layer and disk."""
    import numba

    environment.use_threads(None)
    warming.touch_threads()
    for name, version in environment.versions().items():
        typer.echo(f"{name:16} {version}")
    typer.echo(f"{'processor':16} {environment.processor()}")
    typer.echo(f"{'threads':16} {numba.get_num_threads()}")
    typer.echo(f"{'threading layer':16} {numba.threading_layer()}")
    typer.echo(f"{'free disk':16} {environment.free_disk(Path.cwd()):.1f} GB")


@app.command()
def schema(
    check: Annotated[Path | None, typer.Option(help="Fail when this file differs")] = None,
) -> None:
    """The JSON Schema of the shot file."""
    text = json.dumps(shot_file_schema(), indent=1) + "\n"
    if check is None:
        typer.echo(text, nl=False)
    elif not check.exists() or check.read_text() != text:
        typer.echo(f"{check} is out of date: write it again with ./needle schema", err=True)
        raise typer.Exit(1)


def main() -> None:
    """Entry point."""
    app()


if __name__ == "__main__":
    main()
