"""Compare, order, run, journal, undo."""
