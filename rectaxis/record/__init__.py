"""The record: what is added to a job, in the server's order; the slots it is kept under; what a job copied; what is sealed."""
