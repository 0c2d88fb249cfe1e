"""Provision a workstation from a declarative manifest, prove it in fresh shells, take it all back."""

__version__ = "0.1.0"
