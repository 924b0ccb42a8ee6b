"""glTF 2.0 in, binary or as text: meshes, and characters with skin, animation and shapes.

Specification: The Khronos Group, glTF 2.0, ISO/IEC 12113:2022.
"""

from ..elsewhere import elsewhere
from ..registry import register
from .figure import list_glb, read_figure, read_glb

for _ending in (".glb", ".gltf"):
    register(
        _ending,
        mesh_reader=elsewhere(read_glb),
        lister=elsewhere(list_glb),
        figure_reader=elsewhere(read_figure),
    )

__all__ = ["list_glb", "read_figure", "read_glb"]
