"""What can be done with reports: one file for each deed."""
