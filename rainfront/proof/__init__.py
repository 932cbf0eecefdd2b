"""The proof of a job, its seal tests, and closing it."""
