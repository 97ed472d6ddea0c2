"""What can be changed here: one file for each kind of thing."""
