"""Changes of the operating system: packages, and variables for everybody."""
