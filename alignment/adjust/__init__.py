"""What can be turned, shifted or shimmed; how far to turn it; and what each scale must then show."""
