"""What the business that does the work says of itself: on its reports, and to its people."""
