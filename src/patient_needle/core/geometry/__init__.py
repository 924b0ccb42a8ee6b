"""Free functions on meshes and points: topology, normals, trees, skinning, binding, curves."""
