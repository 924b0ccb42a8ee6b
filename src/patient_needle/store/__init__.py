"""What the workroom keeps in PostgreSQL: shots and their revisions, geometry, takes, frames, deliveries."""
