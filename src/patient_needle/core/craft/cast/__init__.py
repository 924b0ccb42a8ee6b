"""The cast as colliders: run-in, understudies, where a body cuts into itself."""
