"""Shared by all tests: the environment as the product sets it, and small meshes."""

from __future__ import annotations

from patient_needle.bootstrap import environment

environment.prepare()


def pytest_addoption(parser):
    """--keep-checksums: keep those of short runs anew, for a change that is meant to change results."""
    parser.addoption("--keep-checksums", action="store_true")
