"""The command line: `gauger look | features | counts | segment | profile | demo`."""

from gauger.cli.app import main

__all__ = ["main"]
