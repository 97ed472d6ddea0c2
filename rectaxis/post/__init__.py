"""Letters: whom a fleet wants told, what goes out by a press or by a rule a person has set, and what became of it."""
