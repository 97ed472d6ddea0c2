"""The fleet's own door: its vehicles worst first, its advice, what it asks for, and what is answered."""
