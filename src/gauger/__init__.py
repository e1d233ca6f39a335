"""Gauger: behavioural customer segments you can trust, from a table of events to a campaign's audience.

Every public name stands in the stub beside this file, and is imported from its room when it is first used.
"""

import lazy_loader

__version__ = "0.1.0"

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
