"""The command line."""

from gauger.cli.app import main

__all__ = [
    "main",
]
