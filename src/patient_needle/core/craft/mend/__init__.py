"""Mending a take: its snags found and clustered, remedies on a place and a span of frames, and their proof."""
