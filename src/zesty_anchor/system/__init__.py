"""The operating system and the places it gives us."""
