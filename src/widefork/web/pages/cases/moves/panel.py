"""One move opened: what it says of itself, its months, what it changes, what it is to bring, and its history."""

from dataclasses import dataclass
from math import isfinite

from widefork.core.analysis.effects import Effects, move_effects
from widefork.core.axes import Month, Period
from widefork.core.changes import Benefit, Change, Move, Operation, Status, Switch, benefits_of
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line
from widefork.web.pages.cases.differs import day
from widefork.web.pages.cases.reading import Reading
from widefork.web.pages.cases.strip import OPERATIONS, amount_typed
from widefork.web.shared import formats
from widefork.web.shared.context import store
from widefork.web.shared.wording import change_parts

ENTRIES_READ, ENTRIES_SHOWN = 2000, 6
WIDTH, ROW = 430, 16
COSTS = ("cost_of_sales", "people_costs", "premises_costs", "marketing_costs", "administration_costs")


@dataclass(frozen=True, kw_only=True)
class ChangeForm:
    """One of the move's changes, in words and to be edited; ``at`` is its place."""

    at: int
    words: str
    when: str
    line: str
    unit: str
    operation: str
    operations: tuple[tuple[str, str], ...]
    amount: str
    by_month: bool
    first: str
    last: str
    members: tuple[str, ...]
    dimensions: tuple[tuple[str, tuple[str, ...]], ...]
    note: str
    catch_up: str
    is_tied: bool


@dataclass(frozen=True, kw_only=True)
class Bar:
    """A change, or changes of one line, over the months; ``is_open`` runs on beyond the plan."""

    label: str
    x: float
    width: float
    y: float
    is_once: bool


@dataclass(frozen=True, kw_only=True)
class Brings:
    """What the move adds to a line: (member, share in per cent) where it is spread; ``told`` once months are actual.

    ``at`` is its place among all it brings.
    """

    at: int
    line: str
    label: str
    kind: str
    words: str
    amount: str
    first: str
    last: str
    ramp: str
    is_once: bool
    shares: tuple[tuple[str, str], ...]
    told: str


@dataclass(frozen=True, kw_only=True)
class AimRow:
    """An aim beside what the move brings to it in the active case."""

    figure: str
    label: str
    aimed: str
    typed: str
    brings: str
    is_met: bool | None


@dataclass(frozen=True, kw_only=True)
class Panel:
    """The whole panel. ``months`` are (x, label) of the drawing; ``start_x`` is where the move starts in the case."""

    name: str
    label: str
    note: str
    owner: str
    status: str
    statuses: tuple[str, ...]
    start: str
    group: str
    groups: tuple[str, ...]
    on_in: tuple[str, ...]
    case_label: str
    case_start: str
    case_strength: str
    is_on: bool
    changes: tuple[ChangeForm, ...]
    bars: tuple[Bar, ...]
    months: tuple[tuple[float, str], ...]
    month_width: float
    first_month: str
    start_x: float
    width: int
    height: int
    brings: tuple[Brings, ...]
    aims: tuple[AimRow, ...]
    figures: tuple[tuple[str, str], ...]
    lines: tuple[tuple[str, str, str], ...]
    history: tuple[tuple[str, str, str], ...]
    close_url: str
    first: str
    last: str
    timeline_first: str


def build_panel(reading: Reading, opened: str, shown: Effects | None) -> Panel | None:
    """Return the panel of the move of a name; None where there is none.

    Parameters
    ----------
    shown : effects on the chosen figure, of which none are used where the move has aims for others.
    """
    model = reading.model
    move = model.move_by_name.get(opened)
    if move is None:
        return None
    timeline, case = model.timeline, reading.case
    layer = next((one for one in reading.family.layers_of(case.name) if one.move == move.name), None)
    switch = layer.step if layer is not None and isinstance(layer.step, Switch) else Switch(move.name)
    start = switch.start or move.start
    month_width = WIDTH / (timeline.month_count - timeline.actual_count + 1)
    bars = _bars(reading, move, start, month_width)
    return Panel(
        name=move.name,
        label=move.label,
        note=move.note,
        owner=move.owner,
        status=move.status.value,
        statuses=tuple(status.value for status in Status),
        start=str(move.start),
        group=move.group,
        groups=tuple(dict.fromkeys(other.group for other in model.moves if other.group)),
        on_in=tuple(
            c.label for c in model.cases if any(one.move == move.name for one in reading.family.layers_of(c.name))
        ),
        case_label=case.label,
        case_start=str(start),
        case_strength=formats.written_out(switch.strength * 100),
        is_on=layer is not None,
        changes=tuple(_change(reading, place, change) for place, change in enumerate(move.changes)),
        bars=bars,
        months=tuple(
            ((month.ordinal - timeline.first_plan.ordinal) * month_width, month.label)
            for month in timeline.months[timeline.actual_count :]
            if month.month in (1, 7)
        ),
        month_width=month_width,
        first_month=str(timeline.first_plan),
        start_x=min(max(0.0, (start.ordinal - timeline.first_plan.ordinal) * month_width), float(WIDTH)),
        width=WIDTH,
        height=ROW * (len(bars) + 1) + 6,
        brings=tuple(
            _brings(reading, place, each)
            for place, each in enumerate(benefits_of(move.changes))
            if not model.line(each.line).is_generated
        ),
        aims=_aims(reading, move),
        figures=tuple((figure.name, figure.label) for figure in model.figures),
        lines=tuple(
            (line.name, line.label, line.unit) for line in model.lines if line.is_assumption and not line.is_generated
        ),
        history=_history(reading, move),
        close_url=reading.view.address.url(move=""),
        first=str(timeline.first_plan),
        last=str(timeline.end),
        timeline_first=str(timeline.start),
    )


def _change(reading: Reading, place: int, change: Change) -> ChangeForm:
    model, line = reading.model, reading.model.line(change.line)
    what, when = change_parts(change, model)
    is_tied = change.operation is Operation.WITH_MOVE
    return ChangeForm(
        at=place,
        words=f"{line.label} {what}",
        when=when,
        line=line.name,
        unit=line.unit,
        operation=change.operation.value,
        operations=tuple((op.value, words) for op, words in OPERATIONS if op is not Operation.DEFER or line.is_flow),
        amount=amount_typed(change, line) if change.course is None and not is_tied else "",
        by_month=change.course is not None,
        first=str(change.first or ""),
        last=str(change.last or ""),
        members=tuple(f"{dimension}/{member}" for dimension, member in change.members),
        dimensions=tuple((one.name, one.members) for one in model.dimensions_of(line)),
        note=change.note,
        catch_up=str(change.catch_up_months or ""),
        is_tied=is_tied,
    )


def _bars(reading: Reading, move: Move, start: Month, month_width: float) -> tuple[Bar, ...]:
    """The move's changes over the plan's months, as it starts in the active case; one bar for those alike."""
    timeline = reading.model.timeline
    by = start.ordinal - move.start.ordinal
    found: dict[tuple[str, int, int], str] = {}
    for change in move.changes:
        if change.operation is Operation.WITH_MOVE:
            continue
        first = change.first.plus(by).ordinal if change.first is not None else timeline.first_plan.ordinal
        last = change.last.plus(by).ordinal if change.last is not None else timeline.end.ordinal
        first, last = max(first, timeline.first_plan.ordinal), min(last, timeline.end.ordinal)
        if first <= last:
            label = reading.model.line(change.line).label
            members = ", ".join(member for _, member in change.members)
            key = (change.line, first, last)
            found[key] = f"{found[key]}; {members}" if key in found else f"{label} {members}".strip()
    return tuple(
        Bar(
            label=label,
            x=(first - timeline.first_plan.ordinal) * month_width,
            width=max(month_width, (last - first + 1) * month_width),
            y=ROW * row + 4,
            is_once=first == last,
        )
        for row, ((_, first, last), label) in enumerate(found.items())
    )


def _brings(reading: Reading, place: int, benefit: Benefit) -> Brings:
    model, line = reading.model, reading.model.line(benefit.line)
    what = formats.exact_difference(benefit.amount, line.unit)
    ramp = f", ramped over {benefit.ramp_months} months" if benefit.ramp_months > 1 else ""
    until = "" if benefit.last is None else f" to {benefit.last.label}"
    when = f"once in {benefit.first.label}" if benefit.is_once else f"a month from {benefit.first.label}{until}{ramp}"
    members = model.dimension_by_name[benefit.dimension].members if benefit.dimension else ()
    return Brings(
        at=place,
        line=line.name,
        label=line.label,
        kind=_kind(line, benefit),
        words=f"{what} {when}",
        amount=formats.typed(benefit.amount, line.unit),
        first=str(benefit.first),
        last=str(benefit.last or ""),
        ramp=str(benefit.ramp_months or ""),
        is_once=benefit.is_once,
        shares=tuple((m, formats.written_out(round(benefit.shares.get(m, 0.0) * 100, 4))) for m in members),
        told=_told(reading, benefit, line),
    )


def _kind(line: Line, benefit: Benefit) -> str:
    if line.unit == "heads":
        return "heads"
    if line.posts_to in COSTS:
        return "cost, once" if benefit.is_once else "running cost"
    return "benefit, once" if benefit.is_once else "benefit"


def _told(reading: Reading, benefit: Benefit, line: Line) -> str:
    """What was aimed at in months that are actual by now, and what the line came to there."""
    timeline = reading.model.timeline
    span = timeline.span(benefit.first, benefit.last)
    months = range(span.start, min(span.stop, timeline.actual_count))
    if not months or not line.is_flow:
        return ""
    ages = [timeline.months[place].ordinal - benefit.first.ordinal for place in months]
    aimed = sum(benefit.amount * min(1.0, (age + 1) / max(1, benefit.ramp_months)) for age in ages)
    told = Period("", "", timeline.months[months.start], timeline.months[months.stop - 1])
    came = float(roll_up(reading.view.snapshot.results, line.name, [told])[0, reading.view.place])
    over = f"{timeline.months[months.start].label} to {timeline.months[months.stop - 1].label}"
    return (
        f"{over}, now actual: {formats.amount(aimed, line.unit)} aimed at; "
        f"the line came to {formats.amount(came, line.unit)} in all"
    )


def _aims(reading: Reading, move: Move) -> tuple[AimRow, ...]:
    model, plan = reading.model, reading.view.snapshot.plan
    figures = [model.figure(aim.figure) for aim in move.aims]
    if not figures:
        return ()
    effects = reading.view.snapshot.kept(
        ("aims", reading.case.name, move.name, tuple(figures)), lambda: move_effects(plan, reading.case.name, figures)
    )
    found = []
    for aim, figure, all_moves in zip(move.aims, figures, effects, strict=True):
        effect = next(each for each in all_moves.moves if each.move == move.name)
        line = model.line(figure.line)
        brings = effect.given_others
        is_known = isfinite(brings)
        found.append(
            AimRow(
                figure=figure.name,
                label=figure.label,
                aimed=formats.figure_difference(figure, line, aim.amount),
                typed=formats.written_out(aim.amount)
                if figure.reduction.asks_condition
                else formats.typed(aim.amount, line.unit),
                brings=formats.figure_difference(figure, line, brings) if is_known else "no value",
                is_met=(brings >= aim.amount if aim.amount >= 0 else brings <= aim.amount) if is_known else None,
            )
        )
    return tuple(found)


def _history(reading: Reading, move: Move) -> tuple[tuple[str, str, str], ...]:
    """The latest edits of the move: who, when, what."""
    model_id = reading.view.address.model_id
    entries = store().log(model_id, ENTRIES_READ)
    touched = store().touched(model_id, entries)
    own = [entry for entry, about in zip(entries, touched, strict=True) if any(t.move == move.name for t in about)]
    return tuple((entry.person, day(entry.made_at), entry.sentence) for entry in own[:ENTRIES_SHOWN])
