"""Changes of what shells read when they start, and of the launchers."""
