"""What people do with devices."""
