"""What every app may use: the base of all records."""
