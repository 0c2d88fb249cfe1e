"""All that a person reads."""
