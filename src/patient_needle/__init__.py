"""Patient Needle: drapes, simulates and caches garment cloth over animated characters."""

__version__ = "0.1.0"
