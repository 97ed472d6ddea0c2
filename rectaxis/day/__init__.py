"""The day: today's visits, finding a vehicle, planning a visit, reading a job file in."""
