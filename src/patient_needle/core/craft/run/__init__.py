"""A run of garments: inputs of a frame, advancing through it, releasing cloth after it."""
