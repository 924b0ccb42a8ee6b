"""The launcher's commands and what each needs set up."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from . import machine
from .machine import ROOT, Missing, call, say

USAGE = """usage: ./needle COMMAND [ARGUMENTS]

  up       open the workroom in the browser: database, web, desk and workers, until Ctrl-C
  worker   one more worker for the database that NEEDLE_DATABASE names
  sim SHOT --out DIR [--frames A:B] [--patience NAME] [--threads N] [--format pc2|mdd|abc|usd] [--resume]
           simulate a shot file: one cache per garment and report.json
  make SHOT GARMENT --out MESH [--spacing MM] [--unit m|cm|mm|inch]
           make a garment by its recipe and write its mesh: .obj, .glb, .usda or .usdc
  drape SHOT --fitting NAME --out DIR [--until MM] [--seconds S] [--begin FITTING] [--log FILE]
           let a shot's garments come to rest on the figure: a fitting, its meshes and a report
  mend SHOT --cache NAME=PATH --out DIR [--all] [--unit m] [--up y] [--starts-at F] [--format pc2]
           find every snag of a cache, and with --all mend it with proof; ends with 3 when a snag is left
  bench [PART ...] [--quick] [--anyway]
           measure the engine, more than an hour, and write docs/benchmarks.md, or only the parts that are
           named (before_skirt and others: in turns with an earlier engine); or `cast`, what comes before cloth;
           or `chalk`, drawing maps; or `garments`, making them; or `hands`, live fittings; or `mending`; or
           `sewing`. A busy machine is refused, unless --anyway
  doctor   versions, cores, threading layer, disk
  schema   print the shot file's JSON Schema
  check    format, lint, types, layers, licences, schema, front end
  test     set up, check, all tests
"""


def run(arguments: list[str]) -> int:
    """Run one command; the exit code says how it went."""
    command, rest = (arguments[0], arguments[1:]) if arguments else ("", [])
    commands: dict[str, Callable[[list[str]], int]] = {
        "up": _up,
        "sim": lambda rest: _product("sim", rest),
        "make": lambda rest: _product("make", rest),
        "drape": lambda rest: _product("drape", rest),
        "mend": lambda rest: _product("mend", rest),
        "worker": lambda rest: _product("worker", rest),
        "openapi": lambda rest: _product("openapi", rest),
        "schema": lambda rest: _product("schema", rest),
        "doctor": lambda rest: _product("doctor", rest),
        "bench": _bench,
        "check": lambda _: _check(),
        "test": _test,
    }
    if command not in commands:
        print(USAGE, end="", file=sys.stdout if command in ("", "-h", "--help", "help") else sys.stderr)
        return 0 if command in ("-h", "--help", "help") else 2
    try:
        machine.check_python()
        return commands[command](rest)
    except Missing as missing:
        print(f"needle: {missing}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130


def _product(command: str, rest: list[str]) -> int:
    """One of the product's own commands, in its environment, in place of this process."""
    interpreter = machine.python_packages()
    if command in ("sim", "worker"):
        machine.kernels(interpreter)
    sys.stdout.flush()
    os.execv(interpreter, [str(interpreter), "-m", "patient_needle.bootstrap.cli", command, *rest])


def _up(rest: list[str]) -> int:
    """The workroom, in place of this process."""
    interpreter = machine.python_packages()
    machine.database_server()
    machine.front_end()
    machine.kernels(interpreter)
    sys.stdout.flush()
    os.execv(interpreter, [str(interpreter), "-m", "patient_needle.bootstrap.up", *rest])


def _bench(rest: list[str]) -> int:
    interpreter = machine.python_packages()
    machine.benchmark_packages()
    machine.kernels(interpreter)
    return subprocess.run([interpreter, "-m", "benchmarks", *rest], cwd=ROOT, check=False).returncode


def _check() -> int:
    interpreter = machine.python_packages()
    tools = interpreter.parent
    frontend = machine.node_packages()
    steps: list[tuple[str, list[object], Path]] = [
        ("format", [tools / "ruff", "format", "--check", "--quiet", "."], ROOT),
        ("lint", [tools / "ruff", "check", "--quiet", "."], ROOT),
        ("types", [tools / "mypy"], ROOT),
        ("layers", [tools / "lint-imports"], ROOT),
        ("licences", [interpreter, "-m", "setup.licences"], ROOT),
        ("schema", [
            interpreter, "-m", "patient_needle.bootstrap.cli", "schema", "--check",
            ROOT / "docs" / "shot-file.schema.json",
        ], ROOT),
        ("benchmarks", [interpreter, "-m", "setup.measured"], ROOT),
        ("client", [interpreter, "-m", "setup.client", "--check"], ROOT),
        ("front end: lint", ["npm", "run", "--silent", "lint"], frontend),
        ("front end: types", ["npx", "--no-install", "tsc", "--noEmit"], frontend),
    ]  # fmt: skip
    failed = []
    for name, command, folder in steps:
        say(f"check {name}")
        if call(*command, cwd=folder) != 0:
            failed.append(name)
    if failed:
        print(f"needle: these checks failed: {', '.join(failed)}", file=sys.stderr)
    return 1 if failed else 0


def _test(rest: list[str]) -> int:
    """Set up, check, then every test; arguments go to pytest."""
    interpreter = machine.python_packages()
    machine.node_packages()
    with ThreadPoolExecutor(1) as beside:  # the compiler keeps one core busy, the checks the other
        kernels = beside.submit(machine.kernels, interpreter)
        checked = _check()
        machine.database_server()
        machine.browser()
        machine.front_end()
        say("front-end tests")
        front = call("npm", "run", "--silent", "test", cwd=ROOT / "frontend")
        kernels.result()
    return max(checked, abs(front), *map(abs, _pytest(interpreter, rest)))


def _pytest(interpreter: Path, rest: list[str]) -> list[int]:
    """Exit codes of the tests.

    Tests of the core and of its house run on two cores, file by file, with one thread each. The folder
    with the longest tests comes first, so that neither core is left with them. Tests that watch a whole
    workroom in a browser go one after the other: two at a time were no quicker, and share a house in another
    order.
    """
    if rest:
        say("tests")
        return [call(interpreter, "-m", "pytest", *rest)]
    say("tests of the core and its house")
    beside = ["env", "NUMBA_NUM_THREADS=1", interpreter, "-m", "pytest", "-n", "2", "--dist", "loadfile"]
    core = call(*beside, "--no-loadscope-reorder", "tests/reference", "tests/integration", "tests/unit")
    say("tests in the browser")
    return [core, call(interpreter, "-m", "pytest", "tests/acceptance")]
