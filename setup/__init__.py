"""Setting up a fresh machine. Standard library only."""
