"""The shot file: one versioned JSON that says everything that determines a simulation.

Its JSON Schema is `docs/shot-file.schema.json`; geometry stands in files beside it. `document` holds the typed
records and is light to import; `assemble` reads the geometry and brings the core with it.
"""
