"""Pure computation on arrays and frozen dataclasses: no input, no output, no interface."""
