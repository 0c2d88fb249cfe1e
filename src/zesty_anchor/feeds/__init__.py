"""Where versions come from."""
