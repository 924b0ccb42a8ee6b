"""Migrations, run by `store.upgrade`."""
