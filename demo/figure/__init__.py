"""The lamplighter: a lay figure built, rigged and animated by code."""
