"""Carries plans out, writes each change to the journal, and takes changes back."""
