"""How a garment is made: where its cloth comes from, its surface, choosing vertices on it."""
