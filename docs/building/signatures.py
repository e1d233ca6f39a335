"""Results are made by functions: their pages leave out how they would be constructed."""

import inspect

from sphinx.application import Sphinx

_MADE_BY_USERS = ("gauger.Remark",)


def _without_construction(
    _app: Sphinx, what: str, name: str, _value: object, _options: object, signature: str | None, returns: str | None
) -> tuple[str | None, str | None]:
    plain = what == "class" and name not in _MADE_BY_USERS
    return ("", returns) if plain else (signature, returns)


def _without_what_is_the_same_everywhere(
    _app: Sphinx, _what: str, name: str, value: object, skip: bool, _options: object
) -> bool:
    """Headline, overview and the like are told once, before all; what comes from elsewhere is told there."""
    elsewhere = not str(getattr(value, "__module__", "gauger")).startswith("gauger")
    shared = name in ("headline", "overview", "noun", "customer_rows", "said_of", "sentences")
    return skip or shared or elsewhere or (inspect.isroutine(value) and not inspect.getdoc(value))


def setup(app: Sphinx) -> None:
    """Listen to autodoc."""
    app.connect("autodoc-process-signature", _without_construction)
    app.connect("autodoc-skip-member", _without_what_is_the_same_everywhere)
