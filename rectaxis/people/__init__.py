"""Sign-in, roles, preferences, and the one place that says who may do what."""
