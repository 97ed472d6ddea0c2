"""Where numbers come from besides a person's hand: each source says what its scales show, and answers to a move."""
