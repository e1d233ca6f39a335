"""Gauger: behavioural customer segments you can trust, from a table of events to a campaign's audience.

Every public name is listed in the stub next to this file, and is imported from its package when it is first used.
"""

import sys

import lazy_loader

from gauger import hooks, progress

__version__ = "0.1.0"

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)


def _figure_for(result: object) -> str:
    from gauger.notebook import figure_of_result

    return figure_of_result(result)


def _model_of(segmentation: object) -> object:
    from gauger.models import build_model

    return build_model(segmentation)  # type: ignore[arg-type]


def _notebook_bars() -> progress.Listener | None:
    if "ipykernel" not in sys.modules:
        return None
    from gauger.notebook import NotebookBars, is_running

    return NotebookBars() if is_running() else None


hooks.set_figure_maker(_figure_for)
hooks.set_model_builder(_model_of)
progress.set_default_listener(_notebook_bars)
