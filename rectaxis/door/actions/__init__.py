"""What can be done at the door: one file for each deed."""
