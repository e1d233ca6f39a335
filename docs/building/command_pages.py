"""The reference of the command line, from the commands themselves: a page a command, with an example that runs."""

import click
import typer

from gauger.cli.app import COMMANDS, app

PREPARATION = "--key member_id --features recency_days,visits,spend_mean,seats_mean --cap 0,0.99"

EXAMPLES = {
    "look": "gauger look members.csv --key member_id",
    "features": "gauger features visits.csv --customer member_id --when visited_on --amount ticket_spend \\\n"
    "    --event-key visit_id --out visited.csv",
    "plan": "gauger plan members.csv --key member_id --out draft.toml",
    "counts": "gauger counts segments --to 7",
    "segment": f"gauger segment behaviour.csv {PREPARATION} \\\n    --count 4 --out four",
    "tree": f"gauger tree behaviour.csv {PREPARATION} \\\n    --count 5 --out tree",
    "radius": "gauger radius homes.csv --key home_id --features east_km,north_km --scale none",
    "name": 'gauger name segments 1="now and then" --suggested',
    "profile": "gauger profile segments",
    "compare": "gauger compare segments next",
    "report": "gauger report segments --out report.html",
    "assign": "gauger assign segments behaviour.csv --out assigned.csv",
    "drift": "gauger drift segments behaviour.csv",
    "migrate": "gauger migrate segments next",
    "handoff": "gauger handoff segments members.csv --campaign autumn --out autumn",
    "measure": "gauger measure spring outcomes.csv",
    "run": "gauger run plan.toml --out again",
    "demo": "gauger demo --out demo-output",
}
"""One line a command that runs as it stands, in a folder with the demo's tables and a study of them."""

READ_ON = {
    "look": "../../how-to/features.md",
    "features": "../../how-to/features.md",
    "plan": "../../how-to/scheduled.md",
    "counts": "../../how-to/count.md",
    "segment": "../../how-to/methods.md",
    "tree": "../../how-to/methods.md",
    "radius": "../../how-to/methods.md",
    "name": "../../how-to/names.md",
    "profile": "../../how-to/explain.md",
    "compare": "../../how-to/explain.md",
    "report": "../../how-to/explain.md",
    "assign": "../../how-to/next-quarter.md",
    "drift": "../../how-to/next-quarter.md",
    "migrate": "../../how-to/next-quarter.md",
    "handoff": "../../how-to/campaign.md",
    "measure": "../../how-to/campaign.md",
    "run": "../../how-to/scheduled.md",
    "demo": "../../start/demo.md",
}
"""The page that tells when to use it."""

_INTRO = """
# Command line

`gauger COMMAND --help` says the same in a terminal. A command reads files, prints a short table and its remarks, writes files
where `--out` says, and ends with what to type next. Where a study stands, nothing that its folder knows is asked again.

- Results go to stdout, progress and remarks to stderr. Where `--json` is offered, stdout has JSON for scripts.
- Exit codes: 0 done, 1 the data or the request was at fault, 2 wrong usage, 130 stopped by Ctrl-C.
- Results are never written over unless you say `--replace`, and never half-written.
- `gauger --install-completion` lets the Tab key of your shell complete commands, options, columns of the table that you have
  typed, and words.
- Environment variables: `GAUGER_THREADS` (how many threads), `GAUGER_MEMORY_GB` (how much memory there is, where the system
  says something else), `TMPDIR` (where large intermediate files go), `GAUGER_PASSWORD` (the password that was typed into a
  URL, for later runs), `GAUGER_TRUST_PLANS` (1: use the databases and queries that plans name without asking, for scheduled
  jobs).
"""


def commands() -> dict[str, click.Command]:
    """Every command by its name, in the order of the work."""
    group = typer.main.get_command(app)
    return {command.__name__: group.commands[command.__name__] for command in COMMANDS}  # type: ignore[attr-defined]


def pages() -> dict[str, str]:
    """Every page, by its place."""
    found = commands()
    rows = [
        f"| [`gauger {name}`](generated/command-{name}.md) | {_help(command)[0]} |" for name, command in found.items()
    ]
    listed = "\n".join(f"generated/command-{name}" for name in found)
    overview = (
        f"{_INTRO.strip()}\n\n| | |\n| --- | --- |\n{chr(10).join(rows)}\n\n```{{toctree}}\n:hidden:\n\n{listed}\n```\n"
    )
    own = {f"reference/generated/command-{name}.md": _page(name, command) for name, command in found.items()}
    return {"reference/commands.md": overview, **own}


def _page(name: str, command: click.Command) -> str:
    first, rest = _help(command)
    arguments = [one for one in command.params if one.param_type_name == "argument"]
    options = [one for one in command.params if one.param_type_name == "option"]
    usage = " ".join(["gauger", name, *(_metavar(one) for one in arguments), "[OPTIONS]"])
    parts = [f"# gauger {name}", first, rest, f"```text\n{usage}\n```", _listed("Arguments", arguments)]
    parts += ["## Example", f"```{{terminal}}\n:lines: 40\n\n{EXAMPLES[name]}\n```"]
    parts += [_listed("Options", options), "When to use it: [](" + READ_ON[name] + ")."]
    return "\n\n".join(part for part in parts if part) + "\n"


def _help(command: click.Command) -> tuple[str, str]:
    first, _, rest = (command.help or "").partition("\n\n")
    return " ".join(first.split()), "\n\n".join(" ".join(part.split()) for part in rest.split("\n\n"))


def _listed(title: str, parameters: list[click.Parameter]) -> str:
    if not parameters:
        return ""
    return f"## {title}\n\n" + "\n\n".join(f"`{_called(one)}`\n: {_told(one)}" for one in parameters)


def _called(parameter: click.Parameter) -> str:
    if parameter.param_type_name == "argument":
        return _metavar(parameter)
    names = ", ".join([*parameter.opts, *parameter.secondary_opts])
    return names if getattr(parameter, "is_flag", False) else f"{names} {_metavar(parameter)}"


def _metavar(parameter: click.Parameter) -> str:
    return str(parameter.metavar or parameter.human_readable_name.upper())


def _told(parameter: click.Parameter) -> str:
    told = " ".join((getattr(parameter, "help", None) or "").split())
    default = parameter.default
    says_default = "default" in told.lower() or default in (None, False, True, ()) or callable(default)
    needed = " Always needed." if parameter.required else ""
    return f"{told}{needed}" + ("" if says_default else f" Default: {default}.")
