"""glTF 2.0 in, binary or as text: meshes, and characters with skin, animation and shapes.

Specification: The Khronos Group, glTF 2.0, ISO/IEC 12113:2022.
"""

from ..isolated import isolated
from ..registry import register
from .figure import list_glb, read_figure, read_glb
from .writer import write_model

for _ending in (".glb", ".gltf"):
    register(
        _ending,
        mesh_reader=isolated(read_glb),
        lister=isolated(list_glb),
        figure_reader=isolated(read_figure),
        model_writer=write_model if _ending == ".glb" else None,
    )

__all__ = ["list_glb", "read_figure", "read_glb"]
