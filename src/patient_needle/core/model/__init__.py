"""What the job is made of: meshes, fabrics, colliders, holds, the shot. NumPy only."""
