"""Lists in from other programs: any order of columns, every line looked at before anything is taken, undone at a press."""
