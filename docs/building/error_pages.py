"""The reference of the errors, from the classes themselves."""

import inspect

import gauger

_INTRO = """
Errors
======

Every error that the data or the request is at fault for is a :class:`gauger.GaugerError`, and most are also what Python users
expect (ValueError, KeyError, OSError). The text says what was wrong, where, and what to do next; it never holds a personal
value or a password. The command line prints it without a traceback and ends with code 1.

.. code-block:: python

   try:
       features = gauger.prepare(table, key="member_id")
   except gauger.errors.MissingValuesError as error:
       print(error)  # names the columns, counts the gaps, and says what missing= may be

.. currentmodule:: gauger.errors
"""


def pages() -> dict[str, str]:
    """The page, by its place."""
    entries = [_entry(name) for name in names()]
    return {"reference/errors.rst": _INTRO.strip() + "\n\n" + "\n".join(entries)}


def _entry(name: str) -> str:
    value = getattr(gauger.errors, name)
    kinds = [base.__name__ for base in value.__bases__ if base is not gauger.GaugerError]
    also = f"\n\n   Also a {' and a '.join(kinds)}." if kinds else ""
    return f".. py:exception:: {name}\n\n   {inspect.getdoc(value)}{also}\n"


def names() -> list[str]:
    """The public errors below GaugerError, by name."""
    return sorted(
        name
        for name, value in vars(gauger.errors).items()
        if inspect.isclass(value) and issubclass(value, gauger.GaugerError) and value is not gauger.GaugerError
    )
