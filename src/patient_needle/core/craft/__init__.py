"""The rules of the job, a room a subject. `run` computes and never imports `inspect`, which judges."""
