"""What is wanted."""
