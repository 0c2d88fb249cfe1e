"""Fresh shells, and what they answer."""
