"""USD in and out: meshes that stand, move by points, as a whole, or by a UsdSkel skeleton.

Specification: the OpenUSD project, https://openusd.org, UsdGeom and UsdSkel schemas, release 26.11, whose own
library does the reading.
"""

from ..isolated import isolated
from ..registry import register
from .cache import write_model, write_usd, write_values
from .primvars import read_values
from .reader import list_usd, read_cache_content, read_figure, read_usd

for _ending in (".usd", ".usda", ".usdc", ".usdz"):
    register(
        _ending,
        mesh_reader=isolated(read_usd),
        cache_reader=isolated(read_cache_content),
        lister=isolated(list_usd),
        figure_reader=isolated(read_figure),
        cache_writer=write_usd if _ending == ".usd" else None,
        values_reader=isolated(read_values),
        model_writer=None if _ending == ".usdz" else write_model,
        values_writer=None if _ending == ".usdz" else write_values,
    )

__all__ = ["list_usd", "read_figure", "read_usd", "write_usd"]
