"""Gauger: behavioural customer segments you can trust, from a table of events to a campaign's audience.

Every public name stands in the stub beside this file, and is imported from its room when it is first used.
"""

import sys

import lazy_loader

from gauger import pictures, progress

__version__ = "0.1.0"

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)


def _figure_beside(result: object) -> str:
    from gauger.notebook import figure_beside

    return figure_beside(result)


def _notebook_bars() -> progress.Listener | None:
    if "ipykernel" not in sys.modules:
        return None
    from gauger.notebook import NotebookBars, is_running

    return NotebookBars() if is_running() else None


pictures.drawn_by(_figure_beside)
progress.otherwise_told_to(_notebook_bars)
