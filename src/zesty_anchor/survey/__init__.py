"""What is there. Read only."""
