"""Answers in words: amounts of what changes, and how a search ended."""

from collections.abc import Callable
from math import isfinite

from widefork.core.analysis.goal_seek import Outcome, Sense, Solution
from widefork.core.analysis.lever import Lever, Pulls, SwitchLever
from widefork.core.axes import Month
from widefork.core.changes import Operation
from widefork.core.graph.model import Model
from widefork.web.shared import formats
from widefork.web.shared.goal_words import figure_words, room_words, target_words
from widefork.web.shared.lever_words import percent

Show = Callable[[float], str]


def amount_words(model: Model, lever: Pulls, amount: float, is_exact: bool = False) -> str:
    """Return an amount of a lever: ``46.50``, ``+4.6 %``, ``+50``, ``3 months later``, ``Mar 27``, ``38 % of the way``.

    Parameters
    ----------
    is_exact : with all its digits, as what is kept is said.
    """
    if isinstance(lever, SwitchLever):
        return Month.from_ordinal(int(amount)).label if lever.is_start else percent(amount).lstrip("+")
    if not isinstance(lever, Lever):
        return f"{formats.plain_number(amount * 100, 1).removesuffix('.0')} % of the way"
    unit = model.line(lever.line).unit
    match lever.operation:
        case Operation.SCALE:
            share = f"{(amount - 1) * 100:+.6g}".replace("-", formats.MINUS) if is_exact else ""
            return f"{share} %" if share and float(f"{amount - 1:.6g}") else percent(amount - 1)
        case Operation.DELAY:
            return f"{amount:g} month{'' if amount == 1 else 's'} later" if amount else "as planned"
        case Operation.ADD:
            return formats.exact_difference(amount, unit) if amount else "as planned"
    return formats.exact(float(f"{amount:.12g}"), unit) if is_exact else formats.amount(amount, unit)


def unit_words(model: Model, lever: Pulls) -> str:
    """Return the unit of a lever's amounts where it is not said with them."""
    if not isinstance(lever, Lever) or lever.operation in (Operation.SCALE, Operation.DELAY):
        return ""
    unit = model.line(lever.line).unit
    return "" if unit.startswith("%") else unit


def headline(model: Model, label: str, found: Solution, case: str) -> tuple[str, tuple[str, ...]]:
    """Return how a search ended, in a sentence and some more."""
    goal, wanted = found.goal, found.goal.wanted

    def amount(value: float) -> str:
        return amount_words(model, goal.lever, value)

    def figure(value: float) -> str:
        return figure_words(model, wanted, value)

    name = goal.figure.label
    match found.outcome:
        case Outcome.NO_VALUE:
            said = "Something it is made of has no value: choose the figure in Compare to see where that begins."
            return f"{name} cannot be computed, whatever {label} is in this range.", (said,)
        case Outcome.ALREADY:
            kept = " and what is kept holds" if goal.kept else ""
            return f"Already there: {name} is {figure(found.figure_now)} in {case}{kept}.", (_how_far(found, amount),)
        case Outcome.NO_DEPENDENCE:
            if set(goal.lever.lines) & set(found.depends_on):
                said = "Widen the range, or change one of the assumptions it depends on:"
                return f"{name} stays at {figure(found.figure_now)} whatever {label} is in this range.", (said,)
            said = "No amount of it changes the figure. It depends on these assumptions:"
            return f"{name} does not depend on {label}.", (said,)
        case Outcome.OUT_OF_REACH:
            return _out_of_reach(model, label, found, amount, figure)
        case Outcome.HELD_BACK:
            return _held_back(model, label, found)
    return f"{label}: {amount(found.amount)}", _reached(found, amount)


def _how_far(found: Solution, amount: Show) -> str:
    low, high = found.holds
    goal = found.goal
    at_low, at_high = low <= goal.low, high >= goal.high
    if not isfinite(low) or (at_low and at_high):
        return "Nothing needs to change: it holds over the whole range. Ask for more, or choose another case."
    reach = f"from {amount(low)} to {amount(high)}"
    if at_low:
        reach = f"up to {amount(high)}"
    elif at_high:
        reach = f"down to {amount(low)}"
    return f"Nothing needs to change. It holds {reach}, and no further."


def _reached(found: Solution, amount: Show) -> tuple[str, ...]:
    rounded = abs(found.exact - found.amount) > 1e-9 * max(1.0, abs(found.exact))
    goal = found.goal
    words = [f"Exactly {_long(found, amount)}, rounded so that it still holds."] if rounded else []
    if len(found.crossings) > 1:
        words.append(f"The figure passes the target at {', '.join(amount(each) for each in found.crossings)}.")
    low, high = found.holds
    if goal.sense is not Sense.EXACTLY and isfinite(low) and (low > goal.low) and (high < goal.high):
        words.append(f"It holds from {amount(low)} to {amount(high)}, and neither below nor beyond.")
    stop = found.stops[0]
    if isfinite(stop) and stop != found.amount:
        words.append(f"Beyond {amount(stop)} more stops helping.")
    return tuple(words)


def _long(found: Solution, amount: Show) -> str:
    lever = found.goal.lever
    if isinstance(lever, Lever) and lever.operation is Operation.SCALE:
        return f"{(found.exact - 1) * 100:+.8g} %".replace("-", formats.MINUS)
    if isinstance(lever, Lever) and lever.operation is Operation.SET:
        return formats.exact(float(f"{found.exact:.10g}"), "")
    return amount(found.exact)


def _out_of_reach(model: Model, label: str, found: Solution, amount: Show, figure: Show) -> tuple[str, tuple[str, ...]]:
    wanted = found.goal.wanted
    if not isfinite(found.closest_figure):
        return f"No amount of {label} in that range gets there: {wanted.figure.label} is never reached in the plan.", ()
    where = f"the closest is {amount(found.closest)}, which gives {figure(found.closest_figure)}"
    short = f"{room_words(model, wanted, found.closest_figure)} short of {target_words(model, wanted)}"
    stop = found.stops[0]
    beyond = f" Beyond {amount(stop)} more stops helping." if isfinite(stop) else ""
    return (
        f"No amount in that range gets there; {where}.",
        (f"That is {short}.{beyond} Widen the range, ask for less, or change another assumption.",),
    )


def _held_back(model: Model, label: str, found: Solution) -> tuple[str, tuple[str, ...]]:
    goal = found.goal
    broken = []
    for each, value in zip(goal.kept, found.kept_then, strict=True):
        if not each.holds(value):
            short = room_words(model, each, value)
            name = each.figure.label
            broken.append(
                f"{name} would be {figure_words(model, each, value)}, {short} off {target_words(model, each)}"
            )
    first = goal.kept[found.gives_first].figure.label if found.gives_first >= 0 and len(goal.kept) > 1 else ""
    reached = f"{label} at {amount_words(model, goal.lever, found.exact)} gives {goal.figure.label} alone"
    gives = f" {first} gives first on the way there." if first else ""
    return f"Not both within this range: {reached}.", (f"{'; '.join(broken)}.{gives}",)
