"""The manifest of a hand-off as a page for people."""

from typing import Any

from jinja2 import Environment, PackageLoader


def hand_off_page(manifest: dict[str, Any]) -> str:
    """The manifest as a page that needs nothing besides itself."""
    loader = PackageLoader("gauger.report")
    environment = Environment(loader=loader, autoescape=True, trim_blocks=True, lstrip_blocks=True)
    environment.filters["thousands"] = lambda value: f"{value:,}"
    environment.filters["points"] = lambda value: "none" if value is None else f"{100.0 * value:.1f} points"
    return environment.get_template("hand_off.html").render(manifest=manifest, called=_called(manifest))


def _called(manifest: dict[str, Any]) -> dict[str, str]:
    return {row: manifest["segments"].get(row, row) for row in manifest["waterfall"]["customers"]}
