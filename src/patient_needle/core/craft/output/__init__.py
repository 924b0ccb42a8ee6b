"""What is handed off, and what must be true of it."""
