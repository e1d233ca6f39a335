"""Options that come in groups: a dataclass of options is offered to the user one by one."""

import inspect
from collections.abc import Callable
from dataclasses import MISSING, fields, is_dataclass
from functools import wraps
from inspect import Parameter
from typing import Annotated, Any

import typer

from gauger.cli.completing import complete

TrustPlan = Annotated[
    bool,
    typer.Option(
        "--trust-plan",
        help="Use, and remember as approved, the databases and queries that the plan or the study names.",
    ),
]


def with_groups(command: Callable[..., None]) -> Callable[..., None]:
    """A command whose parameters that are dataclasses of options are replaced by those options."""
    parameters: list[Parameter] = []
    groups: dict[str, tuple[type, list[str]]] = {}
    for parameter in inspect.signature(command).parameters.values():
        group = parameter.annotation
        if not is_dataclass(group):
            parameters.append(parameter.replace(kind=Parameter.KEYWORD_ONLY))
            continue
        options = [_option(field.name, field.type, field.default) for field in fields(group)]
        groups[parameter.name] = (group, [option.name for option in options])  # type: ignore[assignment]
        parameters += options

    for parameter in parameters:
        complete(parameter)

    @wraps(command)
    def flat(**given: Any) -> None:
        built = {name: group(**{each: given.pop(each) for each in names}) for name, (group, names) in groups.items()}
        command(**given, **built)

    flat.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
    flat.__annotations__ = {parameter.name: parameter.annotation for parameter in parameters}
    return flat


def with_trust(command: Callable[..., None]) -> Callable[..., None]:
    """A command that follows a plan, with the option to use the databases and queries that the plan names."""
    own = inspect.signature(command)
    trust = Parameter("trust_plan", Parameter.KEYWORD_ONLY, default=False, annotation=TrustPlan)

    @wraps(command)
    def trusting(*, trust_plan: bool, **given: Any) -> None:
        if not trust_plan:
            command(**given)
            return
        from gauger.tables import trusting_plans

        with trusting_plans():
            command(**given)

    trusting.__signature__ = own.replace(parameters=[*own.parameters.values(), trust])  # type: ignore[attr-defined]
    trusting.__annotations__ = {**command.__annotations__, "trust_plan": TrustPlan}
    return trusting


def _option(name: str, kind: object, default: object) -> Parameter:
    return Parameter(
        name, Parameter.KEYWORD_ONLY, default=Parameter.empty if default is MISSING else default, annotation=kind
    )
