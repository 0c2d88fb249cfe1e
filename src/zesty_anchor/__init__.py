"""Provision a workstation from a declarative manifest, prove it in new shells, take it all back."""

__version__ = "0.2.0"
