"""What the years say of a vehicle: each angle over its visits, what happened between them, its tyres, and what comes next."""
