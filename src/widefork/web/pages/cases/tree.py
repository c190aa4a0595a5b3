"""The tree of forks on the calendar, as plain data: a tine leaves its parent in the month it first differs."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import isfinite, isnan

from widefork.core.axes import Month
from widefork.core.changes import Layer, plan_months
from widefork.web.pages.cases.reading import Reading
from widefork.web.pages.cases.words import step_words
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.charts.scale import Scale
from widefork.web.shared.frame import answer_of, figure_url
from widefork.web.shared.weights import weighted_words

WIDTH, LEFT, RIGHT, TOP = 430, 12, 16, 26
LEAST_HEIGHT, BAR = 36, 6
MOST_BARS = 7
"""Bars above a tine; what is more is said in a word."""


@dataclass(frozen=True, kw_only=True)
class Bar:
    """A step over the months it acts. ``kind`` is adds, takes or nothing, for the figure at the tips."""

    x: float
    y: float
    width: float
    kind: str
    is_move: bool
    title: str


@dataclass(frozen=True, kw_only=True)
class Branch:
    """A case in the tree, and the row its tip runs on as."""

    name: str
    label: str
    style: int
    is_active: bool
    is_root: bool
    url: str
    about_url: str
    from_words: str
    note: str
    amount: str
    amount_url: str
    to_root: str
    changes: str
    moves: str
    weight: str
    bars: tuple[Bar, ...]
    further: int
    top: float
    height: int
    y: float
    path: str


@dataclass(frozen=True, kw_only=True)
class Tree:
    """The whole drawing. ``months`` are (x, label, whether a year begins)."""

    width: int
    height: float
    branches: tuple[Branch, ...]
    months: tuple[tuple[float, str, bool], ...]
    left: float
    right: float
    boundary: float
    root_y: float
    figure: str
    figures: tuple[tuple[str, str], ...]
    weighted: str
    named: str
    count: str
    is_many: bool


MANY = 8
"""Cases from which on the tree can be searched."""


def build_tree(reading: Reading, named: str = "") -> Tree:
    """Return the tree of all cases, or of those whose name holds a text with what they fork from."""
    model, timeline = reading.model, reading.model.timeline
    along = Scale(low=0, high=timeline.month_count, start=LEFT, end=WIDTH - RIGHT)
    kept = _kept(reading, named)
    order = [name for name in _order(reading) if name in kept]
    shown = {name: _own(reading, name) for name in order}
    tops, top = {}, float(TOP)
    for name in order:
        tops[name] = top
        top += _height(shown[name])
    lines = {name: tops[name] + _height(shown[name]) - 12 for name in order}
    branches = tuple(_branch(reading, name, shown[name], tops[name], lines, along) for name in order)
    return Tree(
        width=WIDTH,
        height=top,
        branches=branches,
        months=tuple(
            (along(place), month.label if timeline.fiscal_month(month) == 1 else month.label[:3], month.month == 1)
            for place, month in enumerate(timeline.months)
            if (month.month - 1) % (3 if timeline.month_count <= 36 else 6 if timeline.month_count <= 72 else 12) == 0
        ),
        left=LEFT,
        right=WIDTH - RIGHT,
        boundary=along(timeline.actual_count),
        root_y=lines[model.cases[0].name],
        figure=reading.figure.name if reading.figure else "",
        figures=tuple((figure.name, figure.label) for figure in model.figures),
        weighted=weighted_words(reading.figure, reading.view.snapshot) if reading.figure else "",
        named=named,
        count=f"{len(order)} of {len(model.cases)} cases" if named else "",
        is_many=len(model.cases) >= MANY,
    )


def _kept(reading: Reading, named: str) -> set[str]:
    """The cases whose name holds a text and the active one, each with what it forks from; all without a text."""
    wanted = " ".join(named.casefold().split())
    kept: set[str] = set()
    for case in reading.model.cases:
        if wanted in case.label.casefold() or case is reading.case:
            name: str | None = case.name
            while name is not None and name not in kept:
                kept.add(name)
                name = reading.model.case(name).parent
    return kept


def _amount(reading: Reading, name: str) -> float:
    if reading.figure is None:
        return 0.0
    return float(answer_of(reading.figure, reading.view.snapshot).amounts[reading.view.snapshot.place(name)])


def _order(reading: Reading) -> list[str]:
    """Cases as they stand under each other: forks with more than the root above it, those with less below."""
    cases = reading.model.cases

    def size(name: str) -> float:
        amount = _amount(reading, name)
        return amount if isfinite(amount) else float("inf")

    def family(name: str, is_above: bool) -> list[str]:
        forks = sorted((case.name for case in cases if case.parent == name), key=size, reverse=True)
        below = [one for fork in forks for one in family(fork, is_above)]
        return [*below, name] if is_above else [name, *below]

    root = cases[0].name
    forks = sorted((case.name for case in cases if case.parent == root), key=size, reverse=True)
    above = [one for fork in forks if size(fork) > size(root) for one in family(fork, is_above=True)]
    below = [one for fork in forks if size(fork) <= size(root) for one in family(fork, is_above=False)]
    return [*above, root, *below]


def _own(reading: Reading, name: str) -> list[Layer]:
    return [layer for layer in reading.family.layers_of(name) if layer.case == name]


def _height(own: Sequence[Layer]) -> int:
    return max(LEAST_HEIGHT, 20 + BAR * min(len(own), MOST_BARS))


def _branch(reading: Reading, name: str, own: list[Layer], top: float, lines: dict[str, float], along: Scale) -> Branch:
    model, view, timeline = reading.model, reading.view, reading.model.timeline
    case, y = model.case(name), lines[name]
    spans = {id(layer): _span(reading, layer) for layer in own}
    fork = _fork(reading, name)
    drawn = max(one for each in _lineage(reading, name) if (one := _fork(reading, each)) is not None)
    x, end = along(drawn), WIDTH - RIGHT
    path = f"M{along(timeline.actual_count):g} {y:g}H{end:g}"
    if case.parent is not None:
        above = lines[case.parent]
        path = f"M{max(LEFT, x - 9):g} {above:g}C{x:g} {above:g} {x - 3:g} {y:g} {x + 9:g} {y:g}H{end:g}"
    amount, root = _amount(reading, name), _amount(reading, model.cases[0].name)
    figure = reading.figure
    line = model.line(figure.line) if figure else None
    to_root = ""
    if case.parent is not None and figure is not None and line is not None:
        to_root = formats.figure_difference(figure, line, amount - root)
    dropped = reading.family.dropped_by(name)
    kinds = _kinds(reading, name)
    idle = reading.idle(name)
    places = {id(layer.step): place for place, layer in enumerate(reading.family.layers_of(name))}
    is_idle = {id(layer): places[id(layer.step)] in idle for layer in own}
    return Branch(
        name=name,
        label=case.label,
        style=style_of(view.snapshot.place(name)),
        is_active=name == view.address.case,
        is_root=case.parent is None,
        url=view.address.url(case=name, about=""),
        about_url=view.address.url(case=name, about="" if name == view.address.case and _is_about(reading) else "yes"),
        from_words=_from(reading, case.parent, timeline.months[fork] if fork is not None and case.parent else None),
        note=case.note,
        amount=formats.figure_text(figure, line, amount) if figure and line else "",
        amount_url=figure_url(view.address, figure, answer_of(figure, view.snapshot), view.snapshot, name)
        if figure
        else "",
        to_root=to_root,
        changes=_count([layer for layer in own if layer.move is None], is_idle, 0),
        moves=_count([layer for layer in own if layer.move is not None], is_idle, len(dropped)),
        weight="" if case.weight is None else f"{case.weight * 100:g} %",
        bars=tuple(
            Bar(
                x=along(start),
                y=y - 9 - BAR * (place + 1) + 3,
                width=max(2.0, along(stop) - along(start)),
                kind="nothing" if is_idle[id(layer)] else kinds.get(id(layer.step), "nothing"),
                is_move=layer.move is not None,
                title=step_words(layer, model),
            )
            for place, layer in enumerate(own[:MOST_BARS])
            for start, stop in (spans[id(layer)],)
            if start < stop
        ),
        further=max(0, len(own) - MOST_BARS),
        top=top,
        height=_height(own),
        y=y,
        path=path,
    )  # fmt: skip


def _is_about(reading: Reading) -> bool:
    return ("about", "yes") in reading.view.address.own


def _lineage(reading: Reading, name: str) -> list[str]:
    """A case and those it forks from, the root last."""
    parent = reading.model.case(name).parent
    return [name, *(_lineage(reading, parent) if parent is not None else ())]


def _fork(reading: Reading, name: str) -> int | None:
    """The month a case first differs from its parent, by what it does or drops; None where it does not."""
    if reading.model.case(name).parent is None:
        return reading.model.timeline.actual_count
    spans = [_span(reading, layer) for layer in (*_own(reading, name), *reading.family.dropped_by(name))]
    return min((start for start, stop in spans if start < stop), default=None)


def _from(reading: Reading, parent: str | None, fork: Month | None) -> str:
    if parent is None:
        return "root"
    return f"from {reading.model.case(parent).label}" + (f", {fork.label}" if fork is not None else "")


def _span(reading: Reading, layer: Layer) -> tuple[int, int]:
    """First month a step acts in, and the one behind its last, counted from the timeline's start."""
    spans = [plan_months(change, reading.model.timeline) for change in layer.changes]
    known = [span for span in spans if span.start < span.stop]
    return (min(s.start for s in known), max(s.stop for s in known)) if known else (0, 0)


def _kinds(reading: Reading, name: str) -> dict[int, str]:
    """What each step does to the figure at the tips, by its object."""
    walk = reading.walks.get(name)
    found = {}
    for stage in walk.stages if walk is not None else ():
        is_more = stage.moved > 0 or (isnan(stage.moved) and not isnan(stage.amount))
        found[id(stage.layer.step)] = "nothing" if not stage.moves else "adds" if is_more else "takes"
    return found


def _count(layers: list[Layer], idle: dict[int, bool], dropped: int) -> str:
    quiet = sum(idle[id(layer)] for layer in layers)
    said = [
        f"{len(layers)}" if layers else "",
        f"{quiet} idle" if quiet else "",
        f"{dropped} dropped" if dropped else "",
    ]
    return ", ".join(word for word in said if word) or formats.DASH
