"""The TypeScript client's types, generated from the API's own description."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
CLIENT = ROOT / "frontend" / "src" / "api" / "schema.d.ts"


def generated() -> str:
    """The types for the API as it is now."""
    from patient_needle.web.app import openapi

    with tempfile.TemporaryDirectory() as folder:
        described, types = Path(folder) / "openapi.json", Path(folder) / "schema.d.ts"
        described.write_text(json.dumps(openapi(), sort_keys=True))
        command = ROOT / "frontend" / "node_modules" / ".bin" / "openapi-typescript"
        subprocess.run([command, described, "-o", types], check=True, stdout=subprocess.DEVNULL)
        return types.read_text()


def main() -> int:
    """Write the client's types; with --check, exit 1 when they are out of date."""
    text = generated()
    if "--check" not in sys.argv:
        CLIENT.parent.mkdir(parents=True, exist_ok=True)
        CLIENT.write_text(text)
        return 0
    if CLIENT.exists() and CLIENT.read_text() == text:
        return 0
    print(f"{CLIENT} is out of date: python -m setup.client writes it", file=sys.stderr)
    return 1


if __name__ == "__main__":
    sys.exit(main())
