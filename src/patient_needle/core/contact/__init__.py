"""Which cloth is near which collider, what must stay apart, and what has gone through."""
