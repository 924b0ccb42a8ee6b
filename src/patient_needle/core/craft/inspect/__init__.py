"""What the artist is told: before a run by reading and checking, after a frame by judging it."""
