"""Where versions live side by side."""
