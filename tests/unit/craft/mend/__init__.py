"""Tests of mending."""
