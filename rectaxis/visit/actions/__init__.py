"""What can be done to a job: one file for each change."""
