"""The study folder and its plan: what was done, kept so that it is never asked or typed again.

Every name stands in the stub beside this file, and is imported from its module when it is first used: a command loads
what it needs.
"""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
