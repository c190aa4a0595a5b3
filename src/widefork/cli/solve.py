"""Print what it takes to reach a goal."""

import re
import sys
from collections.abc import Sequence
from dataclasses import replace
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
from widefork.core.analysis.goal_seek import (
    Bounded,
    Goal,
    Outcome,
    Sense,
    Spanned,
    Wanted,
    read_figure,
    read_lever,
    seek_goal,
    smallest_change,
)
from widefork.core.analysis.grid import split_phrase
from widefork.core.analysis.lever import Lever, Pulls, SwitchLever, Together, usual_lever
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation, Switch
from widefork.core.changes.words import read_change
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan

_NUMBER = r"-?\d+(?:\.\d+)?"
_LEVER = re.compile(rf"([^\W\d]\w*)\s+(set|scale|add|delay)\s+({_NUMBER})\s+to\s+({_NUMBER})(\s+in whole numbers)?")


@click.command()
@model_argument
@click.option(
    "--goal",
    required=True,
    help="Like “lowest Cash after overdraft at least 0”, “EBITDA in FY27 at least 100000” or “break_even by 2027-06”.",
)
@click.option(
    "--lever",
    "levers",
    required=True,
    multiple=True,
    help="Like “bridge_loan_amount set 0 to 400000”, “Kit price: -10 % to +20 %” or “start of Second lab: 2026-10 to "
    "2028-03”. Several move in proportion.",
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
    ground, named = changes_of(plan, case, changes), case or plan.model.cases[0].name
    spanned = [_upon(_spanned(text, plan, named), plan, changes) for text in levers]
    if smallest:
        _print_smallest(plan, ground, (goal, *kept), spanned)
        return
    asked = replace(_read(goal, spanned, plan.model), kept=tuple(_read(k, spanned, plan.model).wanted for k in kept))
    found = seek_goal(plan, ground, asked)
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
    held = zip(kept, asked.kept, found.kept_then, strict=True)
    broken = [f"{text}: {value!r}" for text, each, value in held if not each.holds(value)]
    reasons = {
        Outcome.HELD_BACK: f"held back: {names} at {_exact(asked.lever, found.exact)} reaches it, but "
        f"{', '.join(broken)}",
        Outcome.OUT_OF_REACH: f"out of reach: the closest is {closest}",
        Outcome.NO_DEPENDENCE: f"does not depend on {names}; it depends on {behind}",
        Outcome.NO_VALUE: "cannot be computed in that range",
    }
    click.echo(reasons[found.outcome])
    sys.exit(FAILED)


def _upon(spanned: Spanned, plan: Plan, phrases: tuple[str, ...]) -> Spanned:
    """A lever upon further changes: a move is switched where the case has it, and they come after."""
    if not isinstance(spanned.lever, SwitchLever) or not phrases:
        return spanned
    further = tuple(read_change(phrase, plan.model.dimensions) for phrase in phrases)
    return replace(spanned, lever=replace(spanned.lever, further=further))


def _print_smallest(plan: Plan, changes: tuple[Change, ...], goals: tuple[str, ...], levers: list[Spanned]) -> None:
    asked = [_read(goal, levers[:1], plan.model) for goal in goals]
    bounded = [_bounded(plan, changes, each) for each in levers]
    found = smallest_change(plan, changes, [Wanted(each.figure, each.sense, each.target) for each in asked], bounded)
    for each, amount in zip(bounded, found.amounts, strict=True):
        click.echo(f"{_pulled(each.lever, amount)} (now {each.now!r})")
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


def _bounded(plan: Plan, changes: tuple[Change, ...], spanned: Spanned) -> Bounded:
    """A lever with what stands now; one that is set must stand at one value."""
    lever = spanned.lever
    if not isinstance(lever, Lever) or lever.operation is not Operation.SET:
        return spanned.bounded()
    usual, now = usual_lever(plan, changes, lever.line, lever.members)
    if usual.operation is not Operation.SET:
        raise InvalidValue(f"{lever.line} differs by month, so it has no one value to move from; scale it instead.")
    return Bounded(lever, spanned.low, now, spanned.high)


def _read(goal: str, levers: Sequence[Spanned], model: Model) -> Goal:
    asked = next((found for found in map(_split, _places(goal)) if found is not None), None)
    if asked is None:
        raise InvalidValue(f"A goal is written like “lowest cash_after_overdraft at least 0”; “{goal}” cannot be read.")
    phrase, sense, text = asked
    figure = read_figure(model, phrase)
    first = levers[0]
    target = _target(text, figure, model)
    if len(levers) > 1:
        together = Together(tuple((each.lever, each.low, each.high) for each in levers))
        return Goal(figure, sense, target, together, 0.0, 1.0)
    return Goal(figure, sense, target, first.lever, first.low, first.high)


def _places(goal: str) -> list[tuple[str, int]]:
    """The goal with every place its sense may stand, the last first: a condition of a figure has words like it."""
    words = re.compile(r"\s(?:at least|at most|exactly|by)\s")
    return [(goal.strip(), found.start()) for found in reversed(list(words.finditer(goal.strip())))]


def _split(at: tuple[str, int]) -> tuple[str, Sense, str] | None:
    goal, place = at
    found = re.fullmatch(r"\s*(at least|at most|exactly|by)\s+(\S.*)", goal[place:])
    if found is None or not goal[:place].strip():
        return None
    return goal[:place].strip(), Sense.AT_MOST if found[1] == "by" else Sense(found[1]), found[2]


def _spanned(text: str, plan: Plan, case: str) -> Spanned:
    """A lever as ``bridge_loan_amount set 0 to 400000``, or as ``Kit price: -10 % to +20 %``."""
    model, pulled = plan.model, _LEVER.fullmatch(text.strip())
    if pulled is not None:
        operation = Operation(pulled[2])
        line = model.line(pulled[1])
        lever = Lever(line.name, operation, is_whole=pulled[5] is not None or operation is Operation.DELAY)
        now = {Operation.SCALE: 1.0, Operation.SET: float("nan")}.get(operation, 0.0)
        return Spanned(line.label, lever, float(pulled[3]), now, float(pulled[4]))
    lead, span = split_phrase(model, text)
    low, between, high = span.partition(" to ")
    if not between:
        said = "“bridge_loan_amount set 0 to 400000” or “Kit price: -10 % to +20 %”"
        raise InvalidValue(f"A lever is written like {said}; “{text}” cannot be read.")
    return read_lever(plan, case, lead.strip(), low, high)


def _target(text: str, figure: Figure, model: Model) -> float:
    said = text.strip()
    if figure.reduction.gives_month:
        try:
            return float(Month.parse(said).ordinal)
        except InvalidValue:
            raise InvalidValue(f"{figure.label} is measured against a month like 2027-06; “{said}” is none.") from None
    bare = said.removesuffix("%").replace("−", "-").replace(",", "").strip()
    try:
        value = float(bare)
    except ValueError:
        raise InvalidValue(f"{figure.label} is measured against a number; “{said}” is none.") from None
    return value / 100 if said.endswith("%") and model.line(figure.line).unit.startswith("%") else value


def _shown(value: float, goal: Goal) -> str:
    found = shown_figure(goal.figure, value)
    return found if isinstance(found, str) else repr(found)


def _pulled(lever: Pulls, amount: float) -> str:
    return ", ".join(
        f"{step.line} {step.operation} {step.amount!r}" if isinstance(step, Change) else _switched(step)
        for step in lever.steps(amount)
    )


def _switched(switch: Switch) -> str:
    start = f" from {switch.start}" if switch.start is not None else ""
    return f"{switch.move}{start} at {switch.strength * 100:g} %"


def _exact(lever: Pulls, amount: float) -> str:
    if isinstance(lever, Together):
        return f"{amount!r} of the way"
    return repr(amount)
