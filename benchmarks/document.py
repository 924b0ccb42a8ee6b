"""The document that measurements are written into, part by part."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping


def put_in(document: str, name: str, text: str, order: Iterable[str], versions: Mapping[str, str]) -> str:
    """The document with the part `name` replaced by `text`, and without what is measured no more."""
    pieces = re.split(r"^<!-- (\w+) -->\n", document, flags=re.M)
    kept = dict(zip(pieces[1::2], pieces[2::2], strict=True)) | {name: text}
    head = (
        "# Benchmarks\n\nWritten by `./needle bench`, part by part. Compare ratios within one part, not "
        "milliseconds between parts.\n\nThe last was written with "
        f"{', '.join(f'{package} {version}' for package, version in versions.items())}.\n"
    )
    body = [f"<!-- {one} -->\n{kept[one].rstrip()}\n" for one in order if one in kept]
    return "\n".join([head, *body])
