"""Run a plan: in memory, or where the customers live, if it says so."""

from os import PathLike
from pathlib import Path

from gauger.study.opening import Study
from gauger.study.plan_files import read_plan
from gauger.study.running import Caution, Run, Told
from gauger.study.running_in_place import InPlaceRun
from gauger.study.sources import approve_plan, connections_of, elsewhere
from gauger.tables import refuse_unapproved


def _unheard(*_: object) -> None:
    return


def run_plan(
    plan: str | PathLike[str],
    folder: str | PathLike[str],
    *,
    replace: bool = False,
    trust: bool = False,
    source: str | PathLike[str] | None = None,
    events: str | PathLike[str] | None = None,
    as_of: str | None = None,
    tell: Told = _unheard,
    caution: Caution = _unheard,
) -> Study:
    """Do all that a plan says, into one folder: the study, its count study, profile, comparisons and hand-off.

    Parameters
    ----------
    plan : str or path-like
        The plan file.
    folder : str or path-like
        Where the study goes. Everything appears together at the end, or nothing does.
    replace : bool
        Whether a study that stands in the folder may be replaced.
    trust : bool
        Whether to approve, and remember, the databases and queries that the plan names; of a plan that somebody else
        made, none is used before.
    source, events : str or path-like, optional
        Other customers, or other events, than the plan names: a file, or a database's URL.
    as_of : str, optional
        Another moment up to which events count than the plan's.
    tell : callable
        Hears each step and what it found, as two texts.
    caution : callable
        Hears the remarks of each step.

    Returns
    -------
    Study
        The folder, opened.

    Raises
    ------
    PlanError
        For what is wrong with the plan, each fault with its line.
    UnapprovedError
        For a database or a query that you have never approved.
    RefusedRemarkError
        For a remark that the plan does not accept.
    GaugerError
        What its steps raise.

    Notes
    -----
    Run twice, on one core or several, it writes the same bytes; but for the time, which the plan may give (`made_at`).

    Examples
    --------
    >>> import gauger, pathlib, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     plan = pathlib.Path(folder, "plan.toml")
    ...     source = f'[source]\\nfile = "{gauger.demo_file("houses.csv")}"\\n'
    ...     _ = plan.write_text(f'key = "house"\\n{source}[features.east_km]\\n[segments]\\nmethod = "bands"\\n')
    ...     study = gauger.run_plan(plan, f"{folder}/houses")
    ...     (study.folder / "profile" / "means.csv").exists()
    True
    """
    file = Path(plan)
    wanted = elsewhere(read_plan(file).for_other_content(), file.parent, source=source, events=events, as_of=as_of)
    if trust:
        approve_plan(wanted)
    refuse_unapproved(connections_of(wanted))
    run = InPlaceRun if wanted.into is not None or wanted.out_of_core else Run
    return run(wanted, file.parent, Path(folder), tell, caution).whole(replace=replace)
