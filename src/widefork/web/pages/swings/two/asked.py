"""What the address asks of the square: a figure, perhaps a goal, and what goes along both sides."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from widefork.core.analysis.sensitivity import Axis, read_axis
from widefork.core.errors import WideforkError
from widefork.core.figures import Figure
from widefork.core.graph.model import Model
from widefork.web.pages.swings.one.asked import SENSES
from widefork.web.shared.context import View, sentence_of
from widefork.web.shared.lever_words import axis_words, lever_phrases, read_goal

SIDES = ("across", "down")


@dataclass(frozen=True, kw_only=True)
class Side:
    """One side as the form asks for it: what goes along it, its range as typed, and what is wrong with them."""

    key: str
    lead: str
    span: str
    axis: Axis | None
    fault: str


@dataclass(frozen=True, kw_only=True)
class TwoAsked:
    """The question. ``cell`` is (row, column) of the one chosen, places in the square's own amounts; None for none."""

    figure: Figure
    sense: str
    goal: float | None
    goal_text: str
    goal_fault: str
    sides: tuple[Side, ...]
    cell: tuple[int, int] | None
    leads: tuple[str, ...] = field(default=())

    @property
    def axes(self) -> tuple[Axis, Axis] | None:
        """Across and down; None where one of them cannot be read."""
        across, down = (side.axis for side in self.sides)
        return None if across is None or down is None else (across, down)


def read_two(view: View, args: Mapping[str, str], usual: tuple[str, str]) -> TwoAsked | None:
    """Return what an address or a form asks; None where the model has no figure.

    Parameters
    ----------
    usual : what goes along the sides where nothing is said: phrases without a range.
    """
    model = view.snapshot.model
    figures = {figure.name: figure for figure in model.figures}
    figure = figures.get(args.get("figure", ""), next(iter(figures.values()), None))
    if figure is None:
        return None
    sense = args.get("sense", "")
    goal, goal_fault = None, ""
    try:
        goal = read_goal(figure, model.line(figure.line), args.get("goal", ""))
    except WideforkError as wrong:
        goal_fault = sentence_of(wrong)
    sides = tuple(
        _side(view, key, args.get(key, "").strip() or other, args.get(f"{key}_span", "").strip())
        for key, other in zip(SIDES, usual, strict=True)
    )
    return TwoAsked(
        figure=figure,
        sense=sense if sense in SENSES else SENSES[1 if figure.reduction.gives_month else 0],
        goal=goal,
        goal_text=args.get("goal", ""),
        goal_fault=goal_fault,
        sides=sides,
        cell=_cell(args.get("cell", "")),
        leads=lever_phrases(model),
    )


def _side(view: View, key: str, lead: str, span: str) -> Side:
    axis, fault = None, ""
    try:
        axis = read_axis(view.snapshot.plan, view.address.case, f"{lead}: {span}") if lead else None
        fault = "" if lead else "Choose an assumption, or the start of a move."
    except WideforkError as wrong:
        fault = sentence_of(wrong)
    shown = span or (_span_words(view.snapshot.model, axis) if axis is not None else "")
    return Side(key=key, lead=lead, span=shown, axis=axis, fault=fault)


def _span_words(model: Model, axis: Axis) -> str:
    first, last = (axis_words(model, axis, float(axis.amounts[place])) for place in (0, -1))
    return f"{first} to {last}".replace("as planned to", "0 to")


def _cell(text: str) -> tuple[int, int] | None:
    parts = text.split(".")
    if len(parts) != 2 or not all(part.isdecimal() and len(part) < 4 for part in parts):
        return None
    return int(parts[0]), int(parts[1])
