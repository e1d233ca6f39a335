"""The report as a page: one file that needs nothing besides itself, and in which all that data hold is text."""

import base64
import hashlib
from datetime import datetime
from functools import cache
from importlib.metadata import version
from importlib.resources import files
from typing import Any

from jinja2 import Environment, PackageLoader
from jinja2.utils import htmlsafe_json_dumps
from markupsafe import Markup

from gauger import draw
from gauger.appearance import FAINT, INK, QUIET, SEGMENT_COLOURS
from gauger.report.cards import cards_of
from gauger.report.contents import Contents
from gauger.report.explorer import explorer_of
from gauger.report.findings import three_sentences
from gauger.report.firmness import firmness
from gauger.report.how_many import how_many
from gauger.report.page_fonts import fonts_of
from gauger.report.pictures import Picture, picture_of
from gauger.report.preparation_part import left_out, treatment_table
from gauger.report.profile_part import profile_part
from gauger.wording import first_up, visible

SHAPES = (
    "M8 0A8 8 0 1 1 -8 0A8 8 0 1 1 8 0Z",
    "M-7 -7H7V7H-7Z",
    "M0 -8L8 7H-8Z",
    "M0 -9L8 0L0 9L-8 0Z",
    "M0 8L-8 -7H8Z",
    "M-3 -8H3V-3H8V3H3V8H-3V3H-8V-3H-3Z",
    "M-8 -5L-5 -8L0 -3L5 -8L8 -5L3 0L8 5L5 8L0 3L-5 8L-8 5L-3 0Z",
    "M0 -9L9 -2L5 8H-5L-9 -2Z",
    "M-8 0L7 -8V8Z",
    "M8 0L-7 -8V8Z",
    "M-9 0L-4 -8H4L9 0L4 8H-4Z",
    "M0 -9L2.5 -3H9L4 1L6 8L0 4L-6 8L-4 1L-9 -3H-2.5Z",
)
"""Each segment's marker as a path around the middle, the same shapes as in the figures."""

_FIGURES = {
    "leads": "what leads",
    "mean": "mean",
    "median": "median",
    "index": "index (everyone = 100)",
    "difference": "difference from everyone's mean",
}


def report_page(contents: Contents) -> str:
    """The page, as HTML."""
    explored = explorer_of(contents)
    parts = {
        "heading": contents.heading,
        "at_hand": contents.at_hand,
        "noun": contents.noun,
        "segments": contents.seg.count,
        "sentences": three_sentences(contents),
        "facts": facts_of(contents),
        "cards": cards_of(contents),
        "stills": _stills(contents),
        "explorer_words": _explorer_words(contents, len(explored["codes"])),
        "count": how_many(contents),
        "profile": profile_part(contents),
        "firm": firmness(contents),
        "remarks": contents.remarks,
        "left_out": left_out(contents),
        "treatments": treatment_table(contents),
        "fingerprints": contents.provenance.fingerprints,
        "plan": contents.provenance.plan,
        "colours": SEGMENT_COLOURS,
        "shapes": SHAPES,
        "figures": _FIGURES,
        "version": version("gauger"),
    }
    return _rendered(parts, explored | {"shapes": SHAPES})


def _rendered(parts: dict[str, Any], explored: dict[str, Any]) -> str:
    """The page with its scripts and its style, which alone the policy allows, by their SHA-256."""
    template = _environment().get_template("report.html")
    script, charting = _static("report.js"), _static("charting.js")
    data = htmlsafe_json_dumps(explored, separators=(",", ":"), allow_nan=False)
    plain = template.render(**parts, explored=data, policy="", style="", script="", charting="")
    style = f"{_tones()}\n{fonts_of(plain)}\n{_static('report.css')}"
    policy = "; ".join(
        (
            "default-src 'none'",
            f"script-src {_hash_of(charting)} {_hash_of(script)}",
            f"style-src {_hash_of(style)}",
            "img-src data:",
            "font-src data:",
            "base-uri 'none'",
            "form-action 'none'",
        )
    )
    made: str = template.render(
        **parts,
        explored=data,
        policy=policy,
        style=Markup(style),
        script=Markup(script),
        charting=Markup(charting),
    )
    return made


@cache
def _environment() -> Environment:
    environment = Environment(
        loader=PackageLoader("gauger.report"),
        autoescape=True,
        trim_blocks=True,
        lstrip_blocks=True,
        finalize=lambda value: visible(value) if type(value) is str else value,
    )
    environment.filters["first_up"] = first_up
    return environment


@cache
def _static(name: str) -> str:
    return (files("gauger.report") / "static" / name).read_text(encoding="utf-8").strip()


def _tones() -> str:
    """The palette as the style and the script know it, and a rule for each hue: what a card calls its own."""
    shared = {"ink": INK, "quiet": QUIET, "grid": FAINT, "accent": SEGMENT_COLOURS[0], "focus": SEGMENT_COLOURS[3]}
    root = " ".join(f"--{name}: {colour};" for name, colour in shared.items())
    return f":root {{ {root} }} " + " ".join(
        f".tone-{at} {{ --own: {colour}; }}" for at, colour in enumerate(SEGMENT_COLOURS, 1)
    )


def _hash_of(text: str) -> str:
    digest = hashlib.sha256(text.encode("utf-8")).digest()
    return f"'sha256-{base64.b64encode(digest).decode('ascii')}'"


def facts_of(contents: Contents) -> list[tuple[str, str]]:
    """Where the segments come from and what they were made of, as names and values."""
    origin = contents.provenance
    found = [("Source", origin.source)]
    if origin.period is not None:
        found += [("Period", f"{origin.period[0]} up to {origin.period[1]}"), ("As of", origin.period[1])]
    found += [("Segments made", _minute(origin.made_at)), ("By Gauger", origin.made_by)]
    found.append(("Seed", None if "seed" not in contents.seg.settings else str(contents.seg.settings["seed"])))
    found.append(("Features", ", ".join(contents.features.names)))
    return [(name, value) for name, value in found if value]


def _minute(time: str | None) -> str | None:
    """A time to the minute, as people write it."""
    return None if time is None else f"{datetime.fromisoformat(time):%Y-%m-%d %H:%M %Z}".strip()


def _explorer_words(contents: Contents, shown: int) -> str:
    everyone, noun = len(contents.seg.codes), contents.seg.noun
    if shown >= everyone:
        return f"All {noun.counted(everyone)} are shown."
    return (
        f"{shown:,} of {noun.counted(everyone)} are shown, drawn at random so that every "
        "segment is seen; small segments are shown more fully than large ones, and the table allows for that."
    )


def _stills(contents: Contents) -> list[Picture]:
    """Who is where, for print and for readers without scripts."""
    if len(contents.features.names) < 2 or not contents.at_hand:
        return []
    figures = [draw.scatter(contents.seg)]
    if len(contents.features.names) > 2:
        figures.append(draw.component_scatter(contents.seg))
    return [picture_of(figure) for figure in figures]
