"""The reference of the files: plan, model and manifest, from their published schemas."""

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

HERE = Path(__file__).parents[1]

FORMS = {
    "plan": (
        "The plan",
        "plan.toml repeats a whole study: `gauger plan` and `gauger.draft_plan` draft one, every study holds one, `gauger run` and "
        "`gauger.run_plan` follow it. It is TOML; a part that stands there is followed, a setting that is left out has its "
        "default. A plan holds no password: `${NAME}` is taken from the environment when the plan is followed. A mistake is told "
        "with its line, all mistakes at once.",
    ),
    "model": (
        "The model",
        "model.json places other customers as those were placed that it was learned from, on any machine: `gauger.load_model`, "
        "`gauger assign`. It holds no customer but, for density, those that others are placed beside, without their keys. A file "
        "that was altered is refused.",
    ),
    "manifest": (
        "The manifest of a hand-off",
        "manifest.json is the account of who went in and who did not, beside the audience files and, for people, as "
        "manifest.html. It holds no key of a customer and no address.",
    ),
}
"""Each form with its title, and what the file is."""

_OF_A_STUDY = """
# Files

## The folder of a study

| file | what it has |
| --- | --- |
| `assignments.csv` (or `.parquet`, or `assignments/` out of core) | the key, segment (1 for the largest, 0 for none), segment_name, distance to the own centre |
| `centres.csv` | the centres, in original units |
| `model.json` | places other customers; [its form](file-model.md) |
| `plan.toml` | how it was made, and how to make it again; [its form](file-plan.md) |
| `remarks.json` | every caution: code, text, features, segments |
| `*.png` | what the method has to show |
| `behaviour.csv` or `customers.parquet` | of events, and of tables in memory: the customers as they were |
| `profile.csv`, `sample.parquet` | out of core and in a database: exact figures by segment, and the sample that figures are drawn of |

## The folder of a hand-off

| file | what it has |
| --- | --- |
| `audience.csv` | everyone who is contacted: the key, segment, segment_name, arm, the address and the columns asked for |
| `audience-1-regulars.csv` … | the same, a file a segment |
| `arms.csv` | who is contacted and who is held out |
| `match-email.csv`, `match-phone.csv` | where asked for: SHA-256 hashes for platforms that match by them, and no plain address |
| `manifest.json`, `manifest.html` | the account; [its form](file-manifest.md) |

## Forms

- [The plan](file-plan.md), [plan.schema.json](../plan.schema.json)
- [The model](file-model.md), [model.schema.json](../model.schema.json)
- [The manifest](file-manifest.md), [manifest.schema.json](../manifest.schema.json)

```{toctree}
:hidden:

file-plan
file-model
file-manifest
```
"""


def pages() -> dict[str, str]:
    """Every page, by its place."""
    forms = {f"reference/file-{name}.md": _page(name) for name in FORMS}
    return {"reference/files.md": _OF_A_STUDY.lstrip(), **forms}


def _page(name: str) -> str:
    title, intro = FORMS[name]
    schema = json.loads((HERE / f"{name}.schema.json").read_text(encoding="utf-8"))
    own = {"": schema, **schema["$defs"]}
    parts = [f"# {title}", intro, f"The schema for editors and checks: [{name}.schema.json](../{name}.schema.json)."]
    for part, form in own.items():
        rows = list(_rows(form))
        if rows:
            head = f"(form-{name}-{part.lower()})=\n## {part}" if part else "## The whole"
            parts += [head, form.get("description", "").split("\n\n")[0] if part else ""]
            parts.append("| setting | what it is | default | |\n| --- | --- | --- | --- |\n" + "\n".join(rows))
    text = "\n\n".join(part for part in parts if part) + "\n"
    return text.replace("#FORM-", f"#form-{name}-")


def _rows(form: dict[str, Any]) -> Iterator[str]:
    needed = form.get("required", [])
    for name, setting in form.get("properties", {}).items():
        default = "needed" if name in needed else _default(setting)
        yield f"| `{name}` | {_kind(setting)} | {default} | {setting.get('description', '')} |"


def _default(setting: dict[str, Any]) -> str:
    value = setting.get("default")
    return "" if value is None or value in ([], {}) else f"`{json.dumps(value)}`"


def _kind(setting: dict[str, Any]) -> str:
    """What may stand there, in words, with a link to the part where it is one."""
    if "$ref" in setting:
        name = setting["$ref"].rpartition("/")[2]
        return f"[{name}](#FORM-{name.lower()})"
    if "const" in setting:
        return f"`{json.dumps(setting['const'])}`"
    if "enum" in setting:
        return ", ".join(f"`{word}`" for word in setting["enum"])
    several = setting.get("anyOf") or setting.get("oneOf")
    if several:
        return " or ".join(dict.fromkeys(_kind(one) for one in several if one.get("type") != "null"))
    kind = setting.get("type")
    if kind == "array":
        return f"a list of {_kind(setting.get('items', {}))}"
    if kind == "object":
        inner = setting.get("additionalProperties")
        return f"by name: {_kind(inner)}" if isinstance(inner, dict) and inner else "by name"
    words = {"string": "text", "integer": "a whole number", "number": "a number", "boolean": "`true` or `false`"}
    return words.get(str(kind), "anything")
