"""Ranked sensitivities as plain data and bars."""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.sensitivity import Swing, Swings, Way, first_share_that_moves, rank_swings
from widefork.core.changes import Change, Operation
from widefork.core.figures import Figure
from widefork.core.lines import Line
from widefork.web.shared import formats
from widefork.web.shared.context import View

BAR_SIDE = 210


@dataclass(frozen=True, kw_only=True)
class Bar:
    """One assumption's row. Bars are drawn from the middle: (x, width) for moved down and up."""

    rank: int
    label: str
    section: str
    unit: str
    down: tuple[float, float]
    up: tuple[float, float]
    down_text: str
    up_text: str
    lowered: str
    raised: str
    note: str
    ends: tuple[str, str]
    url: str


@dataclass(frozen=True, kw_only=True)
class SwingsPage:
    """The whole page. The last four are assumptions that were not ranked, and why; ``less`` and ``more`` head them."""

    figure_label: str
    now: str
    way: str
    less: str
    more: str
    bars: tuple[Bar, ...]
    without_effect: tuple[str, ...]
    zero: tuple[str, ...]
    apart: tuple[str, ...]
    without_range: tuple[tuple[str, str], ...]
    sentence: str


def build(view: View, figure_name: str, share: float, way: Way = Way.SHARE) -> SwingsPage:
    """Return every assumption moved by the same share, a unit or its own range, ranked by its effect on a figure.

    Raises
    ------
    UnknownName: no such figure. InvalidValue: a share that is not above 0 and at most 1.
    """
    snapshot, model = view.snapshot, view.snapshot.model
    figure = model.figure(figure_name)
    line = model.line(figure.line)
    found = rank_swings(snapshot.plan, model.changes_of(view.address.case), figure, share, way)
    widest = max((swing.width for swing in found.ranked), default=0.0) or 1.0
    percent = f"{formats.plain_number(share * 100, 0 if share * 100 == int(share * 100) else 1)} %"

    def bar(rank: int, swing: Swing) -> Bar:
        moved = model.line(swing.line)
        month = model.timeline.first_plan if model.timeline.first_plan <= model.timeline.end else model.timeline.end
        return Bar(
            rank=rank,
            label=moved.label,
            section=next(s.label for s in model.sections if s.name == moved.section),
            unit=moved.unit,
            down=_span(swing.down, widest),
            up=_span(swing.up, widest),
            down_text=formats.figure_difference(figure, line, swing.down) or "no answer",
            up_text=formats.figure_difference(figure, line, swing.up) or "no answer",
            lowered=formats.figure_text(figure, line, swing.lowered),
            raised=formats.figure_text(figure, line, swing.raised),
            note="" if swing.raised_by == share else f"up to 100 % only, by {swing.raised_by * 100:.3g} %",
            ends=("", "") if way is Way.SHARE else (_end(swing.ends[0], moved), _end(swing.ends[1], moved)),
            url=view.address.url("roots", line=swing.line, start=month, end=month),
        )

    labels = {name: model.line(name).label for name in model.line_by_name}
    now = formats.figure_text(figure, line, found.now)
    top = model.line(found.ranked[0].line).label if found.ranked else ""
    less, more = {
        Way.SHARE: (f"{percent} less", f"{percent} more"),
        Way.UNIT: ("one less", "one more"),
        Way.RANGE: ("at its low", "at its high"),
    }[way]
    sentence = (
        f"{top} moves {figure.label} most: {_ways(way, percent)} is "
        f"{formats.figure_difference(figure, line, found.ranked[0].down) or 'no answer'} or "
        f"{formats.figure_difference(figure, line, found.ranked[0].up) or 'no answer'}."
        if found.ranked
        else _why_nothing(view, figure, found, percent, way)
    )
    return SwingsPage(
        figure_label=figure.label,
        now=now,
        way=way.value,
        less=less,
        more=more,
        bars=tuple(bar(i + 1, s) for i, s in enumerate(found.ranked)),
        without_effect=tuple(labels[n] for n in found.without_effect),
        zero=tuple(labels[n] for n in found.zero),
        apart=tuple(labels[n] for n in found.apart),
        without_range=tuple((labels[n], view.address.url("drivers", open=n)) for n in found.without_range),
        sentence=sentence,
    )


def _ways(way: Way, percent: str) -> str:
    return {
        Way.SHARE: f"{percent} less or more",
        Way.UNIT: "one unit less or more",
        Way.RANGE: "the low or the high end of its range",
    }[way]


def _end(change: Change, line: Line) -> str:
    """What an assumption is moved to, or by."""
    if change.operation is Operation.SET:
        return formats.exact(change.amount, line.unit)
    if change.operation is Operation.ADD:
        return formats.exact_difference(change.amount, line.unit)
    return f"{(change.amount - 1) * 100:+.3g} %".replace("-", "−")


def _why_nothing(view: View, figure: Figure, found: Swings, percent: str, way: Way) -> str:
    """Why nothing is ranked: the figure depends on nothing, or on what this share does not move it by."""
    if way is Way.RANGE and found.without_range and not found.without_effect:
        return f"No assumption behind {figure.label} has a range yet; its panel on Drivers takes one."
    if not found.without_effect:
        return f"Nothing moves {figure.label}: it does not depend on any assumption that is not 0."
    if way is not Way.SHARE:
        return f"None of the assumptions behind {figure.label} moves it by {_ways(way, percent)}."
    count = len(found.without_effect)
    behind = f"{count} assumption{'' if count == 1 else 's'}"
    model = view.snapshot.model
    changes = model.changes_of(view.address.case)
    share = first_share_that_moves(view.snapshot.plan, changes, figure, found.share)
    if share is None:
        return f"{figure.label} depends on {behind}, but none moves it by itself, not even by 100 %."
    return (
        f"{figure.label} depends on {behind}, but {percent} less or more of any one does not move it; "
        f"at {share * 100:g} % one does."
    )


def _span(effect: float, widest: float) -> tuple[float, float]:
    if not np.isfinite(effect):
        return (BAR_SIDE, 0.0)
    size = round(abs(effect) / widest * BAR_SIDE, 1)
    return (BAR_SIDE - size, size) if effect < 0 else (float(BAR_SIDE), size)
