"""The frame around every page: fork switcher, period lens, watch strip. Plain data for the templates."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import Answer, answer, monthly_series, period_of
from widefork.core.axes import Grain, Month
from widefork.core.changes import Switch
from widefork.core.figures import Figure, Reduction
from widefork.core.graph.model import Model
from widefork.web.shared import formats
from widefork.web.shared.address import Address
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.charts.spark import Spark, spark
from widefork.web.shared.workspace import Snapshot


@dataclass(frozen=True, kw_only=True)
class CaseTip:
    """A tine of the fork switcher."""

    name: str
    label: str
    style: int
    is_active: bool
    text: str
    url: str
    y: float


@dataclass(frozen=True, kw_only=True)
class Watched:
    """A pinned figure in the watch strip. ``before`` and ``moved`` are empty when nothing was just changed."""

    name: str
    label: str
    text: str
    before: str
    moved: str
    aside: str
    spark: Spark
    roots_url: str


@dataclass(frozen=True, kw_only=True)
class MoveSwitch:
    """A move in the panel of the active case.

    ``said`` is when it starts and whose step it is where it is on.
    """

    name: str
    label: str
    note: str
    said: str
    is_on: bool


@dataclass(frozen=True, kw_only=True)
class LensMonth:
    """A month of the period lens."""

    x: float
    key: str
    label: str
    tick: float
    year: str


@dataclass(frozen=True, kw_only=True)
class Lens:
    """The period lens: all months, the visible range, the boundary of actuals."""

    months: tuple[LensMonth, ...]
    width: float
    from_x: float
    to_x: float
    boundary_x: float | None
    first: Month
    last: Month
    words: str
    grains: tuple[tuple[str, str, bool], ...]


@dataclass(frozen=True, kw_only=True)
class Frame:
    """Everything a page's surroundings need."""

    model_id: int
    model_name: str
    currency: str
    revision: int
    case: str
    case_label: str
    case_style: int
    root_label: str
    is_root: bool
    moves: tuple[MoveSwitch, ...]
    tips: tuple[CaseTip, ...]
    more: tuple[CaseTip, ...]
    tips_label: str
    fork_height: float
    watched: tuple[Watched, ...]
    lens: Lens
    back: str


def build_frame(snapshot: Snapshot, before: Snapshot | None, address: Address) -> Frame:
    """Return the frame of a view; ``before`` is the snapshot an edit was just made on."""
    model = snapshot.model
    case = model.case(address.case)
    pinned = [figure for figure in model.figures if figure.is_pinned]
    answers = {figure.name: answer_of(figure, snapshot) for figure in pinned}
    tips, more, height = _tips(snapshot, address, pinned[0] if pinned else None)
    return Frame(
        model_id=address.model_id,
        model_name=model.name,
        currency=model.currency,
        revision=snapshot.revision,
        case=case.name,
        case_label=case.label,
        case_style=style_of(snapshot.place(case.name)),
        root_label=model.cases[0].label,
        is_root=case.parent is None,
        moves=_moves(snapshot, case.name),
        tips=tips,
        more=more,
        tips_label=pinned[0].label if pinned else "",
        fork_height=height,
        watched=tuple(_watched(figure, answers[figure.name], snapshot, before, address) for figure in pinned),
        lens=snapshot.carried.get(
            ("lens", replace(address, since=None)), model.timeline, lambda: _lens(snapshot, address)
        ),
        back=address.url(),
    )


def _moves(snapshot: Snapshot, case: str) -> tuple[MoveSwitch, ...]:
    model = snapshot.model
    on = {layer.move: layer for layer in model.layers_of(case) if isinstance(layer.step, Switch)}
    found = []
    for move in model.moves:
        layer = on.get(move.name)
        start, said = move.start, "off"
        if layer is not None and isinstance(layer.step, Switch):
            start = layer.step.start or start
            strength = "" if layer.step.strength == 1 else f" at {layer.step.strength * 100:g} %"
            said = f"on{strength}" if layer.case == case else f"on{strength}, from {model.case(layer.case).label}"
        said = f"starts {start.label}, {said}"
        found.append(MoveSwitch(name=move.name, label=move.label, note=move.note, said=said, is_on=layer is not None))
    return tuple(found)


def answer_of(figure: Figure, snapshot: Snapshot) -> Answer:
    """Return a figure's answer in every case, worked out once."""
    return snapshot.kept(("answer", figure), lambda: answer(figure, snapshot.results))


def _months_of(figure: Figure, snapshot: Snapshot) -> NDArray[np.float64]:
    return snapshot.kept(("months", figure), lambda: monthly_series(figure, snapshot.results))


MOST_TIPS = 5
"""Tines of the fork switcher; the other cases stand in a list under it."""


def _tips(
    snapshot: Snapshot, address: Address, figure: Figure | None
) -> tuple[tuple[CaseTip, ...], tuple[CaseTip, ...], float]:
    """The tines by the figure at their tips, the cases left out in their own order, and the switcher's height."""
    model = snapshot.model
    amounts = answer_of(figure, snapshot).amounts if figure is not None else np.zeros(len(model.cases))
    shown = shown_cases(model, address.case)
    order = sorted(shown, key=lambda i: -amounts[i] if np.isfinite(amounts[i]) else np.inf)
    gap = 54.0 if len(shown) < MOST_TIPS else 46.0

    def tip(place: int, y: float) -> CaseTip:
        case = model.cases[place]
        return CaseTip(
            name=case.name,
            label=case.label,
            style=style_of(place),
            is_active=case.name == address.case,
            text=formats.figure_text(figure, model.line(figure.line), float(amounts[place])) if figure else "",
            url=address.url(case=case.name),
            y=y,
        )

    tips = tuple(tip(place, 26 + rank * gap) for rank, place in enumerate(order))
    return tips, tuple(tip(n, 0.0) for n in range(len(model.cases)) if n not in shown), len(tips) * gap + 4


def shown_cases(model: Model, active: str) -> list[int]:
    """Return the places of the cases with a tine: the active one, those it forks from, pinned ones, then others."""
    places = {case.name: place for place, case in enumerate(model.cases)}
    wanted = [0]
    case = model.case(active)
    while case.parent is not None:
        wanted.append(places[case.name])
        case = model.case(case.parent)
    pinned = [place for place, known in enumerate(model.cases) if known.is_pinned]
    return list(dict.fromkeys([*wanted, *pinned, *places.values()]))[:MOST_TIPS]


MOST_DRAWN = 8
"""Cases a chart draws with their names; of more, those that have a tine in the fork switcher."""


def drawn_cases(model: Model, active: str) -> list[int]:
    """Return the places of the cases a chart draws, in the order of the model."""
    return sorted(shown_cases(model, active)) if len(model.cases) > MOST_DRAWN else list(range(len(model.cases)))


def answer_label(figure: Figure, found: Answer, place: int) -> str:
    """Return a figure's label with the month its answer stands in, where the label does not say it."""
    month = found.months[place]
    if month is None or figure.reduction not in (Reduction.LOWEST, Reduction.HIGHEST):
        return figure.label
    return f"{figure.label}, {month.label}"


def figure_url(address: Address, figure: Figure, found: Answer, snapshot: Snapshot, case: str | None = None) -> str:
    """Return where a figure's value is explained: the month that answers, or the whole range."""
    place = snapshot.place(case or address.case)
    month = found.months[place]
    period = period_of(figure, snapshot.model.timeline)
    first, last = (month, month) if month is not None else (period.first, period.last)
    return address.url(
        "roots", case=case or address.case, line=figure.line, at="/".join(figure.members), start=first, end=last
    )


def _watched(figure: Figure, found: Answer, snapshot: Snapshot, before: Snapshot | None, address: Address) -> Watched:
    model = snapshot.model
    line = model.line(figure.line)
    place = snapshot.place(address.case)
    value = float(found.amounts[place])
    was, moved, earlier = "", "", None
    if before is not None and address.case in before.case_names and figure.line in before.model.line_by_name:
        there = before.place(address.case)
        old = float(answer_of(figure, before).amounts[there])
        earlier = _months_of(figure, before)[:, there]
        was = formats.figure_text(figure, line, old)
        difference = formats.figure_difference(figure, line, value - old)
        same = value == old or (np.isnan(value) and np.isnan(old))
        moved = "no change" if same else difference or "changed"
        was = "" if same else was
    series = _months_of(figure, snapshot)[:, place]
    month = found.months[place]
    marked = month.ordinal - period_of(figure, model.timeline).first.ordinal if month is not None else None
    return Watched(
        name=figure.name,
        label=answer_label(figure, found, place),
        text=formats.figure_text(figure, line, value),
        before=was,
        moved=moved,
        aside=_aside(figure, found, snapshot, place),
        spark=spark(series, earlier, marked),
        roots_url=figure_url(address, figure, found, snapshot),
    )


def _aside(figure: Figure, found: Answer, snapshot: Snapshot, place: int) -> str:
    """In the root case the value of its last fork, elsewhere the distance to the root."""
    model = snapshot.model
    line = model.line(figure.line)
    if len(model.cases) == 1:
        return ""
    if place == 0:
        root = model.cases[0].name
        other = max((n for n, case in enumerate(model.cases) if case.parent == root), default=1)
        label = formats.shortened(model.cases[other].label, LONGEST_ASIDE)
        return f"{label} {formats.figure_text(figure, line, float(found.amounts[other]))}"
    difference = formats.figure_difference(figure, line, float(found.amounts[place] - found.amounts[0]))
    if figure.reduction.gives_month:
        return difference
    return f"{difference} to {model.cases[0].label}" if difference else ""


LONGEST_ASIDE = 12
"""Letters of a case's name beside a watched figure, whose digits come first."""
LENS_WIDTH, LENS_MARGIN = 540.0, 24.0


def _lens(snapshot: Snapshot, address: Address) -> Lens:
    timeline = snapshot.model.timeline
    step = LENS_WIDTH / timeline.month_count
    months = []
    previous = None
    for place, month in enumerate(timeline.months):
        period = timeline.periods(Grain.YEAR, month, month)[0]
        starts_year = period.label != previous
        previous = period.label
        tick = 20.0 if starts_year else 7.0 if timeline.fiscal_month(month) % 3 == 1 else 4.0
        months.append(
            LensMonth(
                x=round(LENS_MARGIN + place * step, 1),
                key=str(month),
                label=month.label,
                tick=tick,
                year=period.label if starts_year else "",
            )
        )
    boundary = LENS_MARGIN + timeline.actual_count * step if 0 < timeline.actual_count < timeline.month_count else None
    return Lens(
        months=tuple(months),
        width=LENS_WIDTH + 2 * LENS_MARGIN,
        from_x=round(LENS_MARGIN + timeline.index(address.first) * step, 1),
        to_x=round(LENS_MARGIN + (timeline.index(address.last) + 1) * step, 1),
        boundary_x=boundary,
        first=address.first,
        last=address.last,
        words=f"{address.first.label} to {address.last.label}",
        grains=tuple((grain.value.title(), address.by(grain, timeline), grain is address.grain) for grain in Grain),
    )
