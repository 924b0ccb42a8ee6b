"""Sewing: flat pieces, their seams, where they hang on a figure, and how they come to be worn."""
