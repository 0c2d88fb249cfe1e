"""New shells, and what they answer."""
