"""Print what it takes to reach a goal."""

import re
import sys
from pathlib import Path

import click

from widefork.cli.models import (
    FAILED,
    case_option,
    change_option,
    changes_of,
    in_one_sentence,
    model_argument,
    read_plan,
)
from widefork.core.analysis.goal_seek import Goal, Lever, Outcome, Sense, seek_goal
from widefork.core.changes import Operation
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure, Reduction
from widefork.core.graph.model import Model

_NUMBER = r"-?\d+(?:\.\d+)?"
_GOAL = re.compile(rf"(?:(sum|mean|lowest|highest)\s+)?([^\W\d]\w*)\s+(at least|at most|exactly)\s+({_NUMBER})")
_LEVER = re.compile(rf"([^\W\d]\w*)\s+(set|scale|add)\s+({_NUMBER})\s+to\s+({_NUMBER})")


@click.command()
@model_argument
@click.option("--goal", required=True, help="Like “lowest cash_after_overdraft at least 0”, or a figure's name.")
@click.option("--lever", required=True, help="Like “bridge_loan_amount set 0 to 400000”.")
@case_option
@change_option
@in_one_sentence
def solve(model: Path, goal: str, lever: str, case: str | None, changes: tuple[str, ...]) -> None:
    """Print the amount of one assumption that makes a figure reach a target; exit 1 when none does."""
    plan = read_plan(model)
    asked = _read(goal, lever, plan.model)
    plan.model.line(asked.lever.line)
    found = seek_goal(plan, changes_of(plan, case, changes), asked)
    if found.outcome is Outcome.REACHED:
        pulled = f"{asked.lever.line} {asked.lever.operation} {found.amount!r}"
        click.echo(f"{pulled} gives {found.figure_then!r} (exact {found.exact!r})")
        return
    if found.outcome is Outcome.ALREADY:
        click.echo(f"already there: {found.figure_now!r}")
        return
    reasons = {
        Outcome.OUT_OF_REACH: f"out of reach: the closest is {found.closest!r}, which gives {found.closest_figure!r}",
        Outcome.NO_DEPENDENCE: f"does not depend on {asked.lever.line}; it depends on {', '.join(found.depends_on)}",
        Outcome.NO_VALUE: "cannot be computed in that range",
    }
    click.echo(reasons[found.outcome])
    sys.exit(FAILED)


def _read(goal: str, lever: str, model: Model) -> Goal:
    asked, pulled = _GOAL.fullmatch(goal.strip()), _LEVER.fullmatch(lever.strip())
    if asked is None:
        raise InvalidValue(f"A goal is written like “lowest cash_after_overdraft at least 0”; “{goal}” cannot be read.")
    if pulled is None:
        raise InvalidValue(f"A lever is written like “bridge_loan_amount set 0 to 400000”; “{lever}” cannot be read.")
    stored = next((figure for figure in model.figures if figure.name == asked[2] and not asked[1]), None)
    figure = stored or Figure(
        "goal", "Goal", model.line(asked[2]).name, (), model.timeline.first_plan, None, Reduction(asked[1] or "sum")
    )
    return Goal(
        figure,
        Sense(asked[3]),
        float(asked[4]),
        Lever(pulled[1], Operation(pulled[2])),
        float(pulled[3]),
        float(pulled[4]),
    )
