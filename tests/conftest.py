"""Shared by all tests: the environment as the product sets it, and small meshes."""

from __future__ import annotations

from patient_needle.bootstrap import environment

environment.prepare()
