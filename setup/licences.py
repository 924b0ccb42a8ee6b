"""Every installed Python package and every front-end package that ships must carry an allowed licence."""

from __future__ import annotations

import json
import re
import sys
from importlib import metadata
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent

ALLOWED = (
    "apache", "mit", "bsd", "isc", "psf", "python-2.0", "python software foundation", "mpl", "mozilla",
    "zlib", "unlicense", "cc0", "hpnd", "ofl", "0bsd", "blueoak", "cc-by-4.0", "public domain",
)  # fmt: skip
REFUSED = re.compile(r"\b(a?gpl|gnu (affero )?general)", re.IGNORECASE)
# LGPL, licences to choose from, and metadata that says nothing usable; each is explained in NOTICE.
LISTED = {
    "embreex", "libigl", "fast-simplification", "fast_simplification",
    "psycopg", "psycopg-binary", "psycopg-pool", "text-unidecode", "usd-core",
}  # fmt: skip


def main() -> int:
    """Print what is not allowed; exit code 1 when there is any."""
    wrong = [*python_packages(), *front_end_packages()]
    for line in wrong:
        print(f"licences: {line}", file=sys.stderr)
    return 1 if wrong else 0


def python_packages() -> list[str]:
    """Installed distributions whose licence is not on the list."""
    wrong = []
    for distribution in metadata.distributions():
        name = distribution.metadata["Name"]
        if name.lower() in LISTED or name == "patient-needle":
            continue
        said = _licence(distribution)
        if REFUSED.search(said) or not any(word in said.lower() for word in ALLOWED):
            wrong.append(f"{name}: '{said[:80]}'")
    return wrong


def _licence(distribution: metadata.Distribution) -> str:
    found = distribution.metadata
    classifiers = [c for c in found.get_all("Classifier", []) if c.startswith("License")]
    said = [found.get("License-Expression"), *classifiers, (found.get("License") or "")[:200]]
    return " ".join(part for part in said if part)


def front_end_packages() -> list[str]:
    """Packages that ship with the front end (not its tools) whose licence is not on the list."""
    lock = json.loads((ROOT / "frontend" / "package-lock.json").read_text())
    wrong = []
    for place, package in lock["packages"].items():
        if not place or package.get("dev"):
            continue
        said = str(package.get("license", ""))
        if REFUSED.search(said) or not any(word in said.lower() for word in ALLOWED):
            wrong.append(f"{place}: '{said}'")
    return wrong


if __name__ == "__main__":
    sys.exit(main())
