"""The demo: a made-up business, its vehicles and visits, and doing a job as a person would."""
