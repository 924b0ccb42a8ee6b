"""Contact: pairs that are near, rows that keep them apart, crossings that have happened."""
