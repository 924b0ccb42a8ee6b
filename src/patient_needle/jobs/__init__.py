"""Work that takes time: `queue` hands it over and is light, `tasks` and `worker` do it and bring the core."""
