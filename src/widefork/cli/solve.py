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
    shown_figure,
)
from widefork.core.analysis.goal_seek import Bounded, Goal, Outcome, Sense, Wanted, seek_goal, smallest_change
from widefork.core.analysis.lever import Lever, Pulls, Together, usual_lever
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure, Reduction
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan

_NUMBER = r"-?\d+(?:\.\d+)?"
_GOAL = re.compile(
    rf"(?:(sum|mean|lowest|highest)\s+)?([^\W\d]\w*)\s+(at least|at most|exactly)\s+(\d{{4}}-\d{{1,2}}|{_NUMBER})"
)
_LEVER = re.compile(rf"([^\W\d]\w*)\s+(set|scale|add)\s+({_NUMBER})\s+to\s+({_NUMBER})(\s+in whole numbers)?")


@click.command()
@model_argument
@click.option(
    "--goal",
    required=True,
    help="Like “lowest cash_after_overdraft at least 0”, or a figure: “break_even at most 2027-06”.",
)
@click.option(
    "--lever",
    "levers",
    required=True,
    multiple=True,
    help="Like “bridge_loan_amount set 0 to 400000”, perhaps “in whole numbers”. Several move in proportion.",
)
@click.option("--keep", "kept", multiple=True, help="Another goal to hold as well, written like the first.")
@click.option("--smallest", is_flag=True, help="The smallest change over all levers, in shares of their ranges.")
@case_option
@change_option
@in_one_sentence
def solve(
    model: Path,
    goal: str,
    levers: tuple[str, ...],
    kept: tuple[str, ...],
    smallest: bool,
    case: str | None,
    changes: tuple[str, ...],
) -> None:
    """Print what one assumption, or several, must be to reach a target; exit 1 if nothing does."""
    plan = read_plan(model)
    if smallest or kept:
        _print_smallest(plan, changes_of(plan, case, changes), (goal, *kept), levers)
        return
    asked = _read(goal, levers, plan.model)
    found = seek_goal(plan, changes_of(plan, case, changes), asked)
    if found.outcome is Outcome.REACHED:
        reached = _shown(found.figure_then, asked)
        click.echo(f"{_pulled(asked.lever, found.amount)} gives {reached} (exact {_exact(asked.lever, found.exact)})")
        if len(found.crossings) > 1:
            passed = ", ".join(_exact(asked.lever, float(amount)) for amount in found.crossings)
            click.echo(f"the target is passed at {len(found.crossings)} amounts: {passed}")
        return
    if found.outcome is Outcome.ALREADY:
        click.echo(f"already there: {_shown(found.figure_now, asked)}")
        return
    names, behind = ", ".join(asked.lever.lines), ", ".join(found.depends_on)
    closest = f"{_pulled(asked.lever, found.closest)}, which gives {_shown(found.closest_figure, asked)}"
    reasons = {
        Outcome.OUT_OF_REACH: f"out of reach: the closest is {closest}",
        Outcome.NO_DEPENDENCE: f"does not depend on {names}; it depends on {behind}",
        Outcome.NO_VALUE: "cannot be computed in that range",
    }
    click.echo(reasons[found.outcome])
    sys.exit(FAILED)


def _print_smallest(plan: Plan, changes: tuple[Change, ...], goals: tuple[str, ...], levers: tuple[str, ...]) -> None:
    asked = [_read(goal, levers[:1], plan.model) for goal in goals]
    bounded = [_bounded(plan, changes, *_lever(text, plan.model)) for text in levers]
    found = smallest_change(plan, changes, [Wanted(each.figure, each.sense, each.target) for each in asked], bounded)
    for each, amount in zip(bounded, found.amounts, strict=True):
        click.echo(f"{each.lever.line} {each.lever.operation} {amount!r} (now {each.now!r})")
    for goal, value, before, missing in zip(goals, found.figures, found.figures_now, found.missing, strict=True):
        short = f", short by {missing!r}" if missing else ""
        click.echo(f"{goal}: {value!r} (now {before!r}){short}")
    if found.outcome is Outcome.ALREADY:
        click.echo("already there: nothing needs to change")
    elif found.outcome is Outcome.REACHED and not found.is_only:
        click.echo("the best found nearby: other starts led to other changes that are larger")
    elif found.outcome is not Outcome.REACHED:
        click.echo(f"{found.outcome.value}: the goals do not hold together within these ranges")
        sys.exit(FAILED)


def _bounded(plan: Plan, changes: tuple[Change, ...], lever: Lever, low: float, high: float) -> Bounded:
    """A lever with what stands now; one that is set must stand at one value."""
    if lever.operation is not Operation.SET:
        return Bounded(lever, low, 1.0 if lever.operation is Operation.SCALE else 0.0, high)
    usual, now = usual_lever(plan, changes, lever.line)
    if usual.operation is not Operation.SET:
        raise InvalidValue(f"{lever.line} differs by month, so it has no one value to move from; scale it instead.")
    return Bounded(lever, low, now, high)


def _read(goal: str, levers: tuple[str, ...], model: Model) -> Goal:
    asked = _GOAL.fullmatch(goal.strip())
    if asked is None:
        raise InvalidValue(f"A goal is written like “lowest cash_after_overdraft at least 0”; “{goal}” cannot be read.")
    stored = next((figure for figure in model.figures if figure.name == asked[2] and not asked[1]), None)
    figure = stored or Figure(
        "goal", "Goal", model.line(asked[2]).name, (), model.timeline.first_plan, None, Reduction(asked[1] or "sum")
    )
    ways = tuple(_lever(text, model) for text in levers)
    lever, low, high = ways[0]
    if len(ways) > 1:
        return Goal(figure, Sense(asked[3]), _target(asked[4], figure), Together(ways), 0.0, 1.0)
    return Goal(figure, Sense(asked[3]), _target(asked[4], figure), lever, low, high)


def _lever(text: str, model: Model) -> tuple[Lever, float, float]:
    pulled = _LEVER.fullmatch(text.strip())
    if pulled is None:
        raise InvalidValue(f"A lever is written like “bridge_loan_amount set 0 to 400000”; “{text}” cannot be read.")
    lever = Lever(model.line(pulled[1]).name, Operation(pulled[2]), is_whole=pulled[5] is not None)
    return lever, float(pulled[3]), float(pulled[4])


def _target(text: str, figure: Figure) -> float:
    if figure.reduction.gives_month != ("-" in text.lstrip("-")):
        wanted = "a month like 2027-06" if figure.reduction.gives_month else "a number"
        raise InvalidValue(f"{figure.label} is measured against {wanted}; “{text}” is none.")
    return float(Month.parse(text).ordinal) if figure.reduction.gives_month else float(text)


def _shown(value: float, goal: Goal) -> str:
    found = shown_figure(goal.figure, value)
    return found if isinstance(found, str) else repr(found)


def _pulled(lever: Pulls, amount: float) -> str:
    return ", ".join(f"{c.line} {c.operation} {c.amount!r}" for c in lever.changes(amount))


def _exact(lever: Pulls, amount: float) -> str:
    return f"{amount!r} of the way" if isinstance(lever, Together) else repr(amount)
