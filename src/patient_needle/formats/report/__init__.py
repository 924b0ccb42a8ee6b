"""What a run reports: a record per garment and frame, and totals. Plain JSON, see docs/shot-file.md."""
