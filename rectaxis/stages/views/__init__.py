"""Pages of the day, of a job, of its record and of its papers."""
