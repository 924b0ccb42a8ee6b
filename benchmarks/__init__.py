"""Measurements of the engine, as ratios within one run. Never part of the tests."""
