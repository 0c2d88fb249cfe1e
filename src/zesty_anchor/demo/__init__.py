"""The stand-ins and the made-up data."""
