"""Which files can be brought in, and which caches can be written: by their endings, in words. A test holds this
against the formats that register themselves.
"""

from __future__ import annotations

BROUGHT_IN = (".glb", ".gltf", ".usd", ".usda", ".usdc", ".usdz", ".abc", ".obj", ".pc2", ".mdd")
MAPS_IN = (".png", ".ply", ".usd", ".usda", ".usdc", ".usdz")
WRITTEN = {
    "abc": "Alembic, mesh and motion",
    "usd": "USD, mesh and motion",
    "pc2": "PC2, points only",
    "mdd": "MDD, points only",
}
