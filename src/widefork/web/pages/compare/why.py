"""Why two cases differ in a figure: by cause, by the lines that carry it, by month, and in words."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import isfinite, isnan
from typing import Any

import numpy as np

from widefork.core.analysis.bridge import (
    Bridge,
    Cause,
    Grouping,
    Step,
    bridge,
    carried_by,
    causes_between,
    does_of,
    walk,
)
from widefork.core.analysis.figures import monthly_series, period_of
from widefork.core.changes import Layer
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.model import Model
from widefork.core.lines import Line
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.charts.scale import Scale
from widefork.web.shared.context import View
from widefork.web.shared.frame import answer_of
from widefork.web.shared.wording import change_words

WIDTH, ROW = 252, 30
SMALL = 0.03
"""Of all causes taken together without their signs: a cause below it is gathered with others at the end."""
FEW = 4
"""So few small ones are not gathered."""
GROUPINGS = (("cause", "each by itself"), ("line", "by line"), ("section", "by section"), ("note", "by note"))
MOST_LINES = 9
MONTHS_WIDTH, MONTHS_HEIGHT = 330, 70


@dataclass(frozen=True, kw_only=True)
class CauseRow:
    """A cause, or several: what it does, its share, alone, where its bar hangs, and where it is changed."""

    key: str
    label: str
    does: str
    share: str
    error: str
    alone: str
    is_nothing: bool
    x: float
    width: float
    takes: bool
    from_x: float
    to_x: float
    alone_x: float | None
    url: str
    earlier: str


@dataclass(frozen=True, kw_only=True)
class EndRow:
    """Where the difference begins or ends."""

    label: str
    style: int
    text: str
    when: str
    x: float
    width: float


@dataclass(frozen=True, kw_only=True)
class LineRow:
    """A line that carries part of it."""

    label: str
    text: str
    x: float
    width: float
    takes: bool


@dataclass(frozen=True, kw_only=True)
class MonthBar:
    """The difference in a month."""

    label: str
    x: float
    y: float
    height: float
    takes: bool


@dataclass(frozen=True, kw_only=True)
class Why:
    """The whole answer; ``fault`` where there is none."""

    title: str
    figure: str
    figure_label: str
    origin: EndRow | None
    target: EndRow | None
    rows: tuple[CauseRow, ...]
    gathered: tuple[CauseRow, ...]
    gathered_text: str
    method: str
    is_walk: bool
    walk_url: str
    groupings: tuple[tuple[str, str, bool], ...]
    zero_x: float
    waterline_x: float | None
    waterline: str
    width: int
    row: int
    lines: tuple[LineRow, ...]
    lines_words: str
    months: tuple[MonthBar, ...]
    months_words: str
    paragraph: str
    fault: str


@dataclass(frozen=True, kw_only=True)
class _Asked:
    """What is to be explained: a figure from one case to another.

    ``order`` is that of a walk; empty for the split that knows no order.
    """

    view: View
    figure: Figure
    cases: tuple[str, str]
    by: str
    order: tuple[str, ...] = ()

    @property
    def model(self) -> Model:
        return self.view.snapshot.model

    @property
    def line(self) -> Line:
        return self.model.line(self.figure.line)

    @property
    def labels(self) -> tuple[str, str]:
        one, two = (self.model.case(name).label for name in self.cases)
        return one, two

    @property
    def places(self) -> tuple[int, int]:
        one, two = (self.view.snapshot.place(name) for name in self.cases)
        return one, two

    def apart(self, amount: float) -> str:
        """A difference of the figure as text."""
        return formats.figure_difference(self.figure, self.line, amount)


def build_why(view: View, origin: str, target: str, figure: Figure, by: str, order: Sequence[str]) -> Why:
    """Return why a figure differs from one case to another.

    Parameters
    ----------
    by : cause, line, section or note. order : keys of causes for a walk; empty for the split that knows no order.
    """
    model, plan, cases = view.snapshot.model, view.snapshot.plan, (origin, target)
    causes = view.snapshot.kept(("causes", *cases), lambda: causes_between(model, origin, target))
    keys = [cause.key for cause in causes.causes]
    wanted = [key for key in order if key in keys]
    wanted += [key for key in keys if key not in wanted]
    asked = _Asked(view=view, figure=figure, cases=cases, by=by, order=tuple(wanted) if order else ())
    one, two = asked.labels
    try:
        if not keys:
            raise InvalidValue(f"{two} and {one} do the same, so there is nothing to explain.")
        found: Bridge = view.snapshot.kept(
            ("bridge", *cases, figure, asked.order),
            lambda: walk(plan, causes, figure, asked.order) if asked.order else bridge(plan, causes, figure),
        )
    except InvalidValue as fault:
        return _answer(asked, title=f"{two} against {one}", fault=fault.sentence)
    steps = list(found.steps if by == "cause" or asked.order else found.grouped(Grouping(by)))
    if not asked.order:
        steps.sort(key=lambda step: -abs(step.amount))
    total = sum(abs(step.amount) for step in steps)
    small = [step for step in steps if abs(step.amount) < SMALL * total] if not asked.order else []
    small = small if len(small) > FEW else []
    return _shown(asked, found, [step for step in steps if step not in small], small, wanted)


def _answer(asked: _Asked, **known: Any) -> Why:
    """An answer with what is known of it; all else is empty."""
    empty: dict[str, Any] = {
        "origin": None, "target": None, "rows": (), "gathered": (), "gathered_text": "", "method": "", "is_walk": False,
        "walk_url": "", "zero_x": 0.0, "waterline_x": None, "waterline": "", "lines": (), "lines_words": "",
        "months": (), "months_words": "", "paragraph": "", "fault": "", "title": "",
    }  # fmt: skip
    groupings = tuple(
        (words, asked.view.address.url("compare", grouped=key, walk=""), key == asked.by) for key, words in GROUPINGS
    )
    fixed = {"figure": asked.figure.name, "figure_label": asked.figure.label, "groupings": groupings}
    return Why(**{**empty, **fixed, "width": WIDTH, "row": ROW, **known})


def _shown(asked: _Asked, found: Bridge, shown: list[Step], small: list[Step], keys: list[str]) -> Why:
    level = _waterline(asked)
    x = _scale(asked, found, [*shown, *small], level)
    rows, at = [], found.start
    for step in shown:
        rows.append(_cause_row(asked, step, at, found.start, x))
        at += step.amount
    ends = [_end(asked, number, amount, x) for number, amount in enumerate((found.start, found.end))]
    lines, lines_words = _lines(asked)
    months, months_words = _months(asked)
    return _answer(
        asked,
        title=_title(asked, found),
        origin=ends[0],
        target=ends[1],
        rows=tuple(rows),
        gathered=tuple(_cause_row(asked, step, at, found.start, x) for step in small),
        gathered_text=asked.apart(sum(step.amount for step in small)) if small else "",
        method=_method(asked, found),
        is_walk=bool(asked.order),
        walk_url=asked.view.address.url("compare", walk="" if asked.order else ",".join(keys)),
        zero_x=x(0.0) if not asked.figure.reduction.gives_month else -10.0,
        waterline_x=x(level) if level is not None else None,
        waterline=f"waterline {formats.amount(level, asked.line.unit)}" if level is not None else "",
        lines=lines,
        lines_words=lines_words,
        months=months,
        months_words=months_words,
        paragraph=_paragraph(asked, found, shown, small, lines),
    )


def _scale(asked: _Asked, found: Bridge, steps: Sequence[Step], level: float | None) -> Scale:
    """Wide enough for where every bar begins and ends, what each does alone, 0 and the waterline."""
    reach, at = [found.start, found.end], found.start
    for step in steps:
        at += step.amount
        reach.append(at)
    reach += [found.start + step.alone for step in steps if isfinite(step.alone)]
    if not asked.figure.reduction.gives_month:
        reach.append(0.0)
    if level is not None:
        reach.append(level)
    return Scale(low=min(reach), high=max(reach), start=8, end=WIDTH - 8)


def _cause_row(asked: _Asked, step: Step, at: float, start: float, x: Scale) -> CauseRow:
    cause, amount = step.cause, step.amount
    low, high = sorted((x(at), x(at + amount)))
    is_nothing = amount == 0 and (isnan(step.alone) or step.alone == 0)
    is_named = asked.by in ("section", "note") and not asked.order
    earlier = ""
    if asked.order and asked.order.index(cause.key) > 0:
        place = asked.order.index(cause.key)
        turned = [*asked.order[: place - 1], cause.key, asked.order[place - 1], *asked.order[place + 1 :]]
        earlier = asked.view.address.url("compare", walk=",".join(turned))
    layer = _layer_of(asked, cause)
    return CauseRow(
        key=cause.key,
        label=cause.label if is_named or not cause.line else asked.model.line(cause.line).label,
        does=f"{step.count} causes" if step.count > 1 else _does(asked, cause, layer),
        share="does nothing" if is_nothing else asked.apart(amount),
        error=f"± {asked.apart(step.error).removeprefix('+')}" if step.error else "",
        alone="" if isnan(step.alone) or is_nothing else asked.apart(step.alone) if step.alone else "–",
        is_nothing=is_nothing,
        x=low,
        width=round(high - low, 1),
        takes=amount < 0,
        from_x=x(at),
        to_x=x(at + amount),
        alone_x=x(start + step.alone) if isfinite(step.alone) and step.alone else None,
        url=_url(asked, layer) if step.count == 1 and layer is not None else "",
        earlier=earlier,
    )


def _layer_of(asked: _Asked, cause: Cause) -> Layer | None:
    """The step of either case that makes a cause, the later case's first."""
    for name in asked.cases[::-1]:
        for layer in asked.model.layers_of(name):
            if layer.move is not None and cause.key in (f"move:{layer.move}", _group_key(asked, layer.move)):
                return layer
            if layer.move is None and cause.line == layer.changes[0].line and does_of(layer.changes[0]) == cause.does:
                return layer
    return None


def _group_key(asked: _Asked, move: str) -> str:
    return f"one_of:{asked.model.move_by_name[move].group}"


def _does(asked: _Asked, cause: Cause, layer: Layer | None) -> str:
    """What the step does, in the words of the pages."""
    if layer is None or layer.move is not None:
        return cause.note
    return change_words(layer.changes[0], asked.model)


def _url(asked: _Asked, layer: Layer) -> str:
    """Where the step is changed: in the case that has it."""
    key = layer.changes[0].line if layer.move is None else f"move:{layer.move}"
    return asked.view.address.url("cases", case=layer.case, open=f"{layer.case}/{key}")


def _end(asked: _Asked, number: int, amount: float, x: Scale) -> EndRow:
    place = asked.places[number]
    month = answer_of(asked.figure, asked.view.snapshot).months[place]
    is_month = asked.figure.reduction.gives_month
    low, high = sorted((x(0.0) if not is_month else x.start, x(amount)))
    return EndRow(
        label=asked.labels[number],
        style=style_of(place),
        text=formats.figure_text(asked.figure, asked.line, amount),
        when=f"in {month.label}" if month is not None and not is_month else "",
        x=low,
        width=round(high - low, 1),
    )


def _waterline(asked: _Asked) -> float | None:
    if asked.figure.line != "cash_after_overdraft" or asked.figure.reduction.asks_condition:
        return None
    level = asked.view.snapshot.results.series("waterline", (), asked.places[1])
    return float(level[-1]) if np.ptp(level) == 0 else None


def _title(asked: _Asked, found: Bridge) -> str:
    (one, two), difference, label = asked.labels, found.end - found.start, asked.figure.label
    if difference == 0:
        return f"{two} comes to the same as {one} in {label}"
    if asked.figure.reduction.gives_month:
        return f"{label} comes {asked.apart(difference)} in {two} than in {one}"
    text = asked.apart(abs(difference)).removeprefix("+")
    return f"{two} is {text} {'lower' if difference < 0 else 'higher'} than {one} in {label}"


def _method(asked: _Asked, found: Bridge) -> str:
    count = len(found.steps)
    if asked.order:
        return "Taken one after another: each is what it adds when its turn comes; another order gives other shares."
    alone, together = sum(step.alone for step in found.steps), found.end - found.start
    said = f"Each gets its average over all orders of the {count} causes, so that they add up to the whole."
    if found.orders:
        said = (
            f"{count} causes are too many to try every order: each is the mean of {found.orders} random orders, "
            "give or take what stands beside it; they add up to the whole."
        )
    if count > 1 and isfinite(alone) and not asked.figure.reduction.gives_month:
        apart = asked.apart(alone - together)
        if apart != "same":
            said += (
                f" One by one, each alone, they would come to {asked.apart(alone)}; the {apart} between is shared out."
            )
    return said


def _lines(asked: _Asked) -> tuple[tuple[LineRow, ...], str]:
    snapshot, model = asked.view.snapshot, asked.model
    parts = carried_by(snapshot.results, asked.figure, *asked.places)
    if not parts:
        return (), f"{asked.figure.label} is not a sum of lines, so none carries it."
    rows = [(model.line(part.line).label if part.line else "carried by no line", part.amount) for part in parts]
    if len(rows) > MOST_LINES + 1:
        rest = rows[MOST_LINES:]
        rows = [*rows[:MOST_LINES], (f"{len(rest)} more", sum(amount for _, amount in rest))]
    most, half = max(abs(amount) for _, amount in rows), WIDTH / 4
    found = tuple(
        LineRow(
            label=label,
            text=asked.apart(amount),
            x=round(half if amount >= 0 else half - half * abs(amount) / most, 1),
            width=round(half * abs(amount) / most, 1),
            takes=amount < 0,
        )
        for label, amount in rows
    )
    months = [answer_of(asked.figure, snapshot).months[place] for place in asked.places]
    period, (one, two) = period_of(asked.figure, model.timeline), asked.labels
    words = f"{period.first.label} to {period.last.label}"
    if months[0] is not None and months[1] is not None:
        words = f"up to {months[0].label}"
        if months[0] != months[1]:
            words = f"{one} up to {months[0].label}, {two} up to {months[1].label}; the months between count too"
    return found, words


def _months(asked: _Asked) -> tuple[tuple[MonthBar, ...], str]:
    series = monthly_series(asked.figure, asked.view.snapshot.results)
    one, two = (series[:, place] for place in asked.places)
    gap = two - one
    known = gap[np.isfinite(gap)]
    if not known.size or not known.any():
        return (), ""
    period = period_of(asked.figure, asked.model.timeline)
    low, high = min(0.0, float(known.min())), max(0.0, float(known.max()))
    y = Scale(low=low, high=high, start=MONTHS_HEIGHT - 2, end=2)
    step = MONTHS_WIDTH / len(gap)
    bars = []
    for place, amount in enumerate(gap.tolist()):
        if isfinite(amount):
            top, bottom = sorted((y(0.0), y(amount)))
            bars.append(
                MonthBar(
                    label=f"{period.first.plus(place).label}: {formats.signed(amount, asked.line.unit)}",
                    x=round(place * step, 1),
                    y=top,
                    height=round(bottom - top, 1),
                    takes=amount < 0,
                )
            )
    return tuple(bars), f"{asked.line.label}, {period.first.label} to {period.last.label}"


def _paragraph(
    asked: _Asked, found: Bridge, shown: Sequence[Step], small: Sequence[Step], lines: Sequence[LineRow]
) -> str:
    """The answer in words, to be copied."""
    start, end = (formats.figure_text(asked.figure, asked.line, amount) for amount in (found.start, found.end))
    said = [f"{_title(asked, found)}: {end} against {start}."]
    for step in shown:
        if step.amount:
            note = step.cause.note.rstrip(". ") if step.count == 1 and step.cause.note != step.cause.label else ""
            said.append(f"{step.cause.label}{f' ({note})' if note else ''}: {asked.apart(step.amount)}.")
    if small:
        said.append(f"{len(small)} small ones together: {asked.apart(sum(step.amount for step in small))}.")
    if len(lines) > 1:
        said.append(f"Most of it is in {lines[0].label} ({lines[0].text}) and {lines[1].label} ({lines[1].text}).")
    elif lines:
        said.append(f"It is in {lines[0].label}.")
    return " ".join(said)
