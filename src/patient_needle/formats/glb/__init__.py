"""glTF 2.0 binary in: meshes, and characters with skin and animation.

Specification: The Khronos Group, glTF 2.0, ISO/IEC 12113:2022.
"""

from ..registry import register
from .character import GlbCharacter, read_character
from .reader import read_glb

register(".glb", mesh_reader=read_glb)

__all__ = ["GlbCharacter", "read_character", "read_glb"]
