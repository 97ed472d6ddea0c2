"""What can be done with a list: one file for each deed."""
