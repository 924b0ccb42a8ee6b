"""The rules of the job: run-in, checking the cast, building a run, simulating a range."""
