"""The kinds of change: each plans, carries out and takes back."""
