"""One use of the program a file, without a screen."""
