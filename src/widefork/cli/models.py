"""What the model commands share: reading a model file, choosing cases, printing values, and failing in one sentence."""

import csv
import io
import json
import math
import sys
from collections.abc import Callable, Iterable, Sequence
from functools import wraps
from pathlib import Path
from typing import Any, ParamSpec

import click

from widefork.core.analysis.idle import idle_changes
from widefork.core.axes import Month
from widefork.core.changes import Change
from widefork.core.changes.words import read_change
from widefork.core.engine import is_compiled, is_warm, warm_up
from widefork.core.errors import UnknownName, WideforkError
from widefork.core.figures import Figure
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan
from widefork.files import FORMATS
from widefork.files.tables import plain_cell

FAILED, REFUSED = 1, 2
Arguments = ParamSpec("Arguments")

model_argument = click.argument("model", type=click.Path(exists=True, dir_okay=False, path_type=Path))
case_option = click.option("--case", "case", default=None, help="The case; the root one when left out.")
change_option = click.option(
    "--change", "changes", multiple=True, help="A further change, like “rent add 500 from 2027-01”."
)
format_option = click.option("--format", "form", type=click.Choice(["csv", "json"]), default="csv", show_default=True)


def in_one_sentence(command: Callable[Arguments, None]) -> Callable[Arguments, None]:
    """Turn core errors into one sentence on stderr and exit code 2; never a traceback."""

    @wraps(command)
    def run(*args: Arguments.args, **kwargs: Arguments.kwargs) -> None:
        try:
            command(*args, **kwargs)
        except WideforkError as fault:
            click.echo(" ".join(str(fault).split("\n")[0].split()), err=True)
            sys.exit(REFUSED)
        except UnicodeDecodeError:
            click.echo("The file is not text in UTF-8.", err=True)
            sys.exit(REFUSED)

    return run


def read_model(path: Path) -> Model:
    """Return the model in a file of any open format, known by its ending."""
    for kind in FORMATS:
        if kind.suffix == path.suffix:
            return kind.read(path.read_text("utf-8"))
    raise UnknownName("format for files ending in", path.suffix, [kind.suffix for kind in FORMATS])


def read_plan(path: Path) -> Plan:
    """Return the compiled model in a file, with the machine loaded where it was compiled before.

    Where a formula cannot be read, each such line is said on stderr and the command ends with exit code 2: what would
    be printed would be empty where it depends on it, and nobody could tell why.
    """
    use_machine()
    plan = build_plan(read_model(path))
    faults = faults_of(plan)
    for fault in faults:
        click.echo(fault, err=True)
    if faults:
        sys.exit(REFUSED)
    return plan


def faults_of(plan: Plan) -> list[str]:
    """Return what is wrong with formulas, a sentence each, and how many lines wait for them."""
    faults = [f"{name}: {problem.sentence}" for name, problem in plan.problems.items() if problem.error is not None]
    waiting = sum(problem.error is None for problem in plan.problems.values())
    if waiting:
        faults.append(
            f"{waiting} {'line waits' if waiting == 1 else 'lines wait'} for {'it' if len(faults) == 1 else 'them'}."
        )
    return faults


def shown_figure(figure: Figure, value: float) -> Any:
    """Return a figure's answer for printing: a month where it is one, “never” where there is none."""
    if not figure.reduction.gives_month:
        return value
    return str(Month.from_ordinal(int(value))) if math.isfinite(value) else "never"


def use_machine() -> None:
    """Load the kernel a server or the set-up compiled; compiling it here would take longer than computing plainly."""
    if is_compiled() and not is_warm():
        warm_up()
    context = click.get_current_context(silent=True)
    if context is not None and context.find_root().params.get("verbose"):
        click.echo("computed by the compiled kernel" if is_warm() else "computed plainly: no kernel is there", err=True)


def changes_of(plan: Plan, case: str | None, phrases: Iterable[str]) -> tuple[Change, ...]:
    """Return a case's changes and further ones given as phrases."""
    model = plan.model
    further = tuple(read_change(phrase, model.dimensions) for phrase in phrases)
    for change in further:
        plan.check_changeable(change.line)
    changes = (*model.changes_of(case or model.cases[0].name), *further)
    for idle in idle_changes(plan, changes):
        if idle.change in further:
            click.echo(f"note: {idle.sentence}", err=True)
    return changes


def print_table(header: Sequence[str], rows: Iterable[Sequence[Any]], form: str) -> None:
    """Print rows as CSV or as JSON objects, numbers in full precision; a missing value is empty, or null."""
    if form == "json":
        documents = [dict(zip(header, map(_plain, row), strict=True)) for row in rows]
        click.echo(json.dumps(documents, ensure_ascii=False, indent=1))
        return
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(header)
    writer.writerows([["" if _plain(value) is None else _shown(value) for value in row] for row in rows])
    click.echo(out.getvalue(), nl=False)


def _plain(value: Any) -> Any:
    return None if isinstance(value, float) and not math.isfinite(value) else value


def _shown(value: Any) -> Any:
    if isinstance(value, str):
        return plain_cell(value)
    return repr(value) if isinstance(value, float) else value
