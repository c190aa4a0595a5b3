"""The sentence as an address holds it, each part read, or said what is wrong with it where it stands."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from urllib.parse import urlencode

from werkzeug.datastructures import MultiDict

from widefork.core.analysis.figures import answer
from widefork.core.analysis.goal_seek import (
    Goal,
    Sense,
    Spanned,
    Wanted,
    read_figure,
    read_lever,
)
from widefork.core.analysis.grid import line_phrase
from widefork.core.analysis.lever import Lever, Pulls
from widefork.core.axes import Month
from widefork.core.changes import Operation
from widefork.core.errors import InvalidValue, WideforkError
from widefork.core.graph.model import Model
from widefork.web.shared import formats
from widefork.web.shared.context import View, sentence_of
from widefork.web.shared.lever_words import percent, read_goal

MOST_LEVERS, MOST_CONDITIONS, MOST_WEIGHT = 8, 4, 4
BY = "by"
SENTENCE = (
    "figure", "sense", "target", "lever", "low", "high", "weight", "way", "starting", "until", "keep_figure",
    "keep_sense", "keep_target", "measure",
)  # fmt: skip
"""What the sentence is called in an address and in forms."""
SENSES = (*(sense.value for sense in Sense), BY)
"""How a target is met; “by” is at most, said of a month."""


class WayAsked(StrEnum):
    """How several assumptions share in a change."""

    SMALLEST = "smallest"
    TOGETHER = "together"


@dataclass(frozen=True, kw_only=True)
class Condition:
    """A figure with what it is to be, as typed and as read. ``unit`` is of the target."""

    figure: str
    sense: str
    target: str
    unit: str
    wanted: Wanted | None
    fault: str
    fault_at: str


@dataclass(frozen=True, kw_only=True)
class LeverAsked:
    """What may change, as typed and as read. ``unit`` is of its amounts; ``weight`` how hard a change of it is."""

    lead: str
    low: str
    high: str
    unit: str
    weight: int
    spanned: Spanned | None
    fault: str


@dataclass(frozen=True, kw_only=True)
class Asked:
    """The whole sentence.

    Parameters
    ----------
    goal : what is wanted first; conditions : what must hold as well. levers : at least one.
    way : how several share; in_units : how far each goes is measured in its own unit.
    starting, until : the months changes begin and end with, as typed.
    is_asked : whether to answer it.
    """

    goal: Condition
    conditions: tuple[Condition, ...]
    levers: tuple[LeverAsked, ...]
    way: WayAsked
    in_units: bool
    starting: str
    until: str
    months_fault: str
    is_asked: bool

    @property
    def fault(self) -> str:
        """What is wrong first; empty where all of it can be read."""
        faults = [self.goal.fault, *(lever.fault for lever in self.levers), self.months_fault]
        return next((fault for fault in (*faults, *(c.fault for c in self.conditions)) if fault), "")

    @property
    def is_several(self) -> bool:
        """Whether several assumptions change."""
        return len(self.levers) > 1

    @property
    def wanted(self) -> tuple[Wanted, ...]:
        """All that is wanted, the goal first."""
        return tuple(each.wanted for each in (self.goal, *self.conditions) if each.wanted is not None)

    @property
    def spanned(self) -> tuple[Spanned, ...]:
        """All levers that could be read."""
        return tuple(lever.spanned for lever in self.levers if lever.spanned is not None)

    def refuse_fault(self) -> None:
        """Raise InvalidValue where some of the sentence cannot be read."""
        if self.fault:
            raise InvalidValue(self.fault)

    def goal_of(self, lever: Pulls, low: float, high: float) -> Goal:
        """Return the question to a lever between two amounts."""
        first, *kept = self.wanted
        return Goal(first.figure, first.sense, first.target, lever, low, high, tuple(kept))

    def pairs(self) -> list[tuple[str, str]]:
        """Return the sentence as an address keeps it."""
        goal = [("figure", self.goal.figure), ("sense", self.goal.sense), ("target", self.goal.target)]
        for lever in self.levers:
            goal += [("lever", lever.lead), ("low", lever.low), ("high", lever.high), ("weight", str(lever.weight))]
        for kept in self.conditions:
            goal += [("keep_figure", kept.figure), ("keep_sense", kept.sense), ("keep_target", kept.target)]
        goal += [("way", self.way.value)] if self.is_several else []
        goal += [("measure", "units")] if self.in_units and self.is_several else []
        months = (("starting", self.starting), ("until", self.until))
        return [*goal, *(pair for pair in months if pair[1])]

    def with_more(self, model: Model, do: str) -> list[tuple[str, str]]:
        """Return the sentence with a place more, or one less, as an address keeps it.

        Parameters
        ----------
        do : ``lever``, ``condition``, or ``drop-lever-0`` and ``drop-condition-0``, counted from 0.
        """
        what, _, place = do.removeprefix("drop-").partition("-")
        at = int(place) if place.isdecimal() and len(place) < 3 else -1
        levers = tuple(each for k, each in enumerate(self.levers) if (what, k) != ("lever", at))
        kept = tuple(each for k, each in enumerate(self.conditions) if (what, k) != ("condition", at))
        pairs = replace(self, levers=levers or self.levers[:1], conditions=kept).pairs()
        if do == "lever" and len(levers) < MOST_LEVERS:
            return [*pairs, ("lever", ""), ("low", ""), ("high", ""), ("weight", "1")]
        if do == "condition" and len(kept) < MOST_CONDITIONS:
            named = {each.figure for each in (self.goal, *kept)}
            other = next((figure.label for figure in model.figures if figure.label not in named), self.goal.figure)
            return [*pairs, ("keep_figure", other), ("keep_sense", Sense.AT_LEAST.value), ("keep_target", "")]
        return pairs

    def about(self, phrase: str) -> "Asked":
        """Return the same question about another lever, by its usual amounts."""
        first = replace(self.levers[0], lead=phrase, low="", high="", spanned=None)
        return replace(self, levers=(first,))

    def query(self) -> str:
        """Return the sentence as a query, to be asked."""
        return urlencode([*self.pairs(), ("ask", "1")])


def read_asked(view: View, args: "MultiDict[str, str]") -> Asked:
    """Return the sentence an address or a form holds; what it leaves out takes a sensible value."""
    model = view.snapshot.model
    usual = _usual_figure(model)
    goal = _condition(
        model, args.get("figure", usual), args.get("sense", Sense.AT_LEAST.value), args.get("target", "0")
    )
    keys = ("keep_figure", "keep_sense", "keep_target")
    kept = [
        _condition(model, *each) for each in zip(*(args.getlist(key) for key in keys), strict=False) if any(each[::2])
    ]
    starting, until = (args.get(key, "").strip() for key in ("starting", "until"))
    first, first_fault = _plan_month(model, starting)
    last, last_fault = _plan_month(model, until)
    if first is not None and last is not None and last < first:
        last_fault = f"A change that starts in {first.label} cannot end in {last.label}."
        first = last = None
    way = args.get("way", "")
    leads = args.getlist("lever")[:MOST_LEVERS] or [_usual_lead(model)]
    is_near = len([lead for lead in leads if lead.strip()]) > 1
    gap = _gap(view, goal)
    columns = [args.getlist(key) for key in ("low", "high", "weight")]
    levers = []
    for place, lead in enumerate(leads):
        low, high, weight = (column[place] if place < len(column) else "" for column in columns)
        levers.append(_lever(view, lead.strip(), (low.strip(), high.strip()), weight, (first, last), gap, is_near))
    return Asked(
        goal=goal,
        conditions=tuple(kept[:MOST_CONDITIONS]),
        levers=tuple(levers),
        way=WayAsked(way) if way in list(WayAsked) else WayAsked.SMALLEST,
        in_units=args.get("measure") == "units",
        starting=starting,
        until=until,
        months_fault=first_fault or last_fault,
        is_asked="ask" in args,
    )


Months = tuple[Month | None, Month | None]


def _plan_month(model: Model, text: str) -> tuple[Month | None, str]:
    """A month of the plan as typed, and what is wrong with it."""
    if not text:
        return None, ""
    try:
        month = Month.parse(text)
    except WideforkError as wrong:
        return None, sentence_of(wrong)
    timeline = model.timeline
    if timeline.first_plan <= month <= timeline.end:
        return month, ""
    return None, f"A change lies in the plan, {timeline.first_plan.label} to {timeline.end.label}; got {month.label}."


def _usual_figure(model: Model) -> str:
    figure = next((figure for figure in model.figures if not figure.reduction.gives_month), None)
    return figure.label if figure is not None else ""


def _usual_lead(model: Model) -> str:
    """A loan's amount where there is one, since money short is what is asked most; else the first assumption."""
    lines = [line for line in model.lines if line.is_assumption]
    loans = [line for line in lines if line.source is not None and line.source.part == "amount"]
    first = next(iter([*loans, *lines]), None)
    return line_phrase(model, first.name) if first is not None else ""


def _condition(model: Model, phrase: str, sense: str, target: str) -> Condition:
    said = phrase.strip()
    how = sense if sense in SENSES else Sense.AT_LEAST.value
    unit, wanted, fault, at = "", None, "", ""
    try:
        at = "figure"
        figure = read_figure(model, said)
        line = model.line(figure.line)
        unit = "a month" if figure.reduction.gives_month else line.unit
        if figure.reduction.gives_month and how == Sense.AT_LEAST.value and not target.strip("0 "):
            how = BY
        at = "target"
        if figure.reduction.gives_month and not target.strip("0 "):
            target = model.timeline.end.label
        value = read_goal(figure, line, target)
        if value is None:
            raise InvalidValue(f"Say what {figure.label} is to be, in {unit or 'plain numbers'}.")
        wanted = Wanted(figure, Sense.AT_MOST if how == BY else Sense(how), value)
    except WideforkError as wrong:
        fault = sentence_of(wrong)
    return Condition(
        figure=said, sense=how, target=target.strip(), unit=unit, wanted=wanted, fault=fault,
        fault_at=at if fault else "",
    )  # fmt: skip


def _lever(
    view: View, lead: str, span: tuple[str, str], weight: str, months: Months, gap: float, is_near: bool
) -> LeverAsked:
    model = view.snapshot.model
    spanned, fault, unit = None, "", ""
    try:
        if not lead:
            raise InvalidValue("Choose an assumption that may change, or the start or strength of a move.")
        spanned = read_lever(view.snapshot.plan, view.address.case, lead, *span, *months, gap, is_near)
        unit = _unit_of(model, spanned)
    except WideforkError as wrong:
        fault = sentence_of(wrong)
    low, high = span
    if spanned is not None and not low:
        low, high = (typed_amount(model, spanned, end) for end in (spanned.low, spanned.high))
    heavy = int(weight) if weight.isdecimal() and 1 <= int(weight) <= MOST_WEIGHT else 1
    return LeverAsked(lead=lead, low=low, high=high, unit=unit, weight=heavy, spanned=spanned, fault=fault)


def _unit_of(model: Model, spanned: Spanned) -> str:
    lever = spanned.lever
    if not isinstance(lever, Lever) or lever.operation in (Operation.SCALE, Operation.DELAY):
        return ""
    return model.line(lever.line).unit


def typed_amount(model: Model, spanned: Spanned, amount: float) -> str:
    """Return an amount of a lever as a person would type it: ``46``, ``+9 %``, ``3 months later``, ``Mar 27``."""
    lever = spanned.lever
    if not isinstance(lever, Lever):
        return Month.from_ordinal(int(amount)).label if lever.is_start else percent(amount).lstrip("+")
    match lever.operation:
        case Operation.SCALE:
            return percent(amount - 1) if amount != 1 else "+0 %"
        case Operation.DELAY:
            return f"{amount:g} month{'' if amount == 1 else 's'} later"
        case Operation.ADD:
            text = formats.typed(amount, model.line(lever.line).unit)
            return text if text.startswith("-") else f"+{text}"
    unit = model.line(lever.line).unit
    return formats.typed(amount, unit) + (" %" if unit.startswith("%") else "")


def _gap(view: View, goal: Condition) -> float:
    """What is missing of the goal as things stand, where both are money; NaN otherwise."""
    model, wanted = view.snapshot.model, goal.wanted
    if wanted is None or model.line(wanted.figure.line).unit != model.currency or wanted.figure.reduction.gives_month:
        return float("nan")
    standing = float(answer(wanted.figure, view.snapshot.results).amounts[view.place])
    return wanted.target - standing


def lever_labels(levers: Sequence[LeverAsked]) -> str:
    """Return several levers in words: ``Kit price, Rent and Panel fee``."""
    labels = [lever.spanned.label if lever.spanned is not None else lever.lead for lever in levers]
    return labels[0] if len(labels) == 1 else f"{', '.join(labels[:-1])} and {labels[-1]}"
