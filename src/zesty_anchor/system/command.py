"""A command for the superuser."""

Command = tuple[str, ...]
"""A command as its words."""
