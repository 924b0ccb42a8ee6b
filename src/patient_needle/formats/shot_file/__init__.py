"""The shot file: one versioned JSON that says everything that determines a simulation.

Its JSON Schema is `docs/shot-file.schema.json`; geometry stands in files beside it.
"""

from .assemble import assemble
from .document import ShotFile, read_shot_file, shot_file_schema

__all__ = ["ShotFile", "assemble", "read_shot_file", "shot_file_schema"]
