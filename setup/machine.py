"""What the machine must have, what can be installed, and one clear line for what cannot."""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
DATA = ROOT / ".data"
TOOLS = DATA / "tools"
ENVIRONMENT = ROOT / ".venv"
PYTHON, NODE = (3, 11), 20


class Missing(Exception):
    """Something that cannot be got here; its text says what and what to do."""


def say(text: str) -> None:
    """One line about what is being done."""
    print(f"needle: {text}", flush=True)


def call(*command: object, cwd: Path = ROOT, quiet: bool = False) -> int:
    """Run a command and return its exit code."""
    out = subprocess.DEVNULL if quiet else None
    return subprocess.run([str(word) for word in command], cwd=cwd, stdout=out, check=False).returncode


def need(*command: object, why: str, cwd: Path = ROOT) -> None:
    """Run a command that must succeed; `Missing` says why it was needed."""
    if call(*command, cwd=cwd) != 0:
        raise Missing(f"{why} failed: {' '.join(map(str, command))}")


def check_python() -> None:
    """This interpreter must be new enough; the environment is made from it."""
    if sys.version_info < PYTHON:
        raise Missing(
            f"Python {PYTHON[0]}.{PYTHON[1]} or newer is needed, this is {sys.version.split()[0]}: "
            "install it and start ./needle with it"
        )


def apt_install(*packages: str) -> None:
    """Debian packages, where this is root and apt is there."""
    if shutil.which("apt-get") is None:
        raise Missing(f"{', '.join(packages)} must be installed, and there is no apt-get to do it")
    if os.geteuid() != 0:
        raise Missing(f"{', '.join(packages)} must be installed: sudo apt-get install {' '.join(packages)}")
    say(f"installing {', '.join(packages)}")
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    for command in (["apt-get", "update", "-qq"], ["apt-get", "install", "-y", "-qq", *packages]):
        if subprocess.run(command, env=environment, stdout=subprocess.DEVNULL, check=False).returncode:
            raise Missing(f"apt-get could not install {', '.join(packages)}")


def uv() -> Path:
    """The installer for Python packages, put into a private folder when it is not there."""
    found = shutil.which("uv")
    if found:
        return Path(found)
    private = TOOLS / "bin" / "uv"
    if private.exists():
        return private
    say("installing uv, which installs the Python packages")
    if call(sys.executable, "-m", "venv", TOOLS, quiet=True) != 0:
        apt_install("python3-venv")
        need(sys.executable, "-m", "venv", TOOLS, why="making an environment for tools")
    need(TOOLS / "bin" / "python", "-m", "pip", "install", "--quiet", "uv", why="installing uv")
    return private


def python_packages() -> Path:
    """The project environment as the lock file says; returns its interpreter."""
    interpreter = ENVIRONMENT / "bin" / "python"
    stamp = _stamp("python", "uv.lock", "pyproject.toml")
    if not (interpreter.exists() and stamp.exists()):
        say("installing Python packages into .venv")
        need(
            uv(), "sync", "--quiet", "--locked", "--inexact", "--compile-bytecode", "--python", sys.executable,
            why="installing Python packages",
        )  # fmt: skip
        _check_openmp(interpreter)
        stamp.touch()
    return interpreter


def benchmark_packages() -> None:
    """What only benchmarks compare with, into the same environment."""
    need(
        uv(),
        "sync",
        "--quiet",
        "--locked",
        "--inexact",
        "--group",
        "bench",
        why="installing the benchmark's packages",
    )


def _check_openmp(interpreter: Path) -> None:
    """The engine's threads need the system's OpenMP library."""
    if call(interpreter, "-c", "import ctypes; ctypes.CDLL('libgomp.so.1')", quiet=True) != 0:
        apt_install("libgomp1")


def kernels(interpreter: Path) -> None:
    """The engine's kernels, compiled once for this source."""
    stamp = _stamp("kernels", *sorted(str(p) for p in (ROOT / "src/patient_needle/core").rglob("*.py")))
    if not stamp.exists():
        say("compiling the engine's kernels (about two minutes, once)")
        need(interpreter, "-m", "patient_needle.bootstrap.cli", "warm", why="compiling the kernels")
        stamp.touch()


def database_server() -> None:
    """The PostgreSQL server's programs."""
    if not any(Path("/usr/lib/postgresql").glob("*/bin/initdb")) and shutil.which("initdb") is None:
        apt_install("postgresql")


def browser() -> None:
    """A headless browser for the acceptance tests."""
    if shutil.which("chromium-headless-shell") is None and shutil.which("chromium") is None:
        apt_install("chromium-headless-shell")


def front_end() -> None:
    """The front end, built for its present sources."""
    folder = node_packages()
    sources = [p for p in (folder / "src").rglob("*") if p.is_file()]
    sources += [
        folder / name for name in ("index.html", "package-lock.json", "vite.config.ts", "tsconfig.json")
    ]
    stamp = _stamp("front-end", *sorted(str(p) for p in sources))
    if not (folder / "dist" / "index.html").exists() or not stamp.exists():
        say("building the front end")
        need("npm", "run", "--silent", "build", cwd=folder, why="building the front end")
        stamp.touch()


def node_packages() -> Path:
    """The front end's packages as its lock file says; returns the front end's folder."""
    folder = ROOT / "frontend"
    check_node()
    stamp = _stamp("node", "frontend/package-lock.json")
    if not (folder / "node_modules").exists() or not stamp.exists():
        say("installing front-end packages")
        need(
            "npm", "ci", "--no-audit", "--no-fund", "--no-update-notifier", "--loglevel=error", cwd=folder,
            why="installing front-end packages",
        )  # fmt: skip
        stamp.touch()
    return folder


def check_node() -> None:
    """Node must be there and new enough."""
    found = shutil.which("node")
    if found is None or shutil.which("npm") is None:
        raise Missing(f"Node {NODE} or newer with npm is needed: install it and start again")
    version = subprocess.run([found, "--version"], capture_output=True, text=True, check=False).stdout
    if int(version.strip().lstrip("v").split(".")[0] or 0) < NODE:
        raise Missing(f"Node {NODE} or newer is needed, this is {version.strip()}: install a newer one")


def _stamp(what: str, *sources: str) -> Path:
    """A file that exists when `what` was done for the present sources; older ones are removed by name."""
    digest = hashlib.sha256(str(ENVIRONMENT).encode())
    for source in sources:
        digest.update((ROOT / source).read_bytes())
    folder = DATA / "done"
    folder.mkdir(parents=True, exist_ok=True)
    return folder / f"{what}-{digest.hexdigest()[:16]}"
