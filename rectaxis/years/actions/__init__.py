"""What can be noted and taken back: one file for each."""
