"""The cloth engine: forces, the implicit step, effort and diagnostics."""
