"""The ranked bars: worked out a piece at a time where there are many, as rows with their bars."""

from dataclasses import dataclass
from functools import partial

import numpy as np

from widefork.core.analysis.sensitivity import Moved, Swing, Swings, Trials, Way, first_share_that_moves, prepare_swings
from widefork.core.figures import Figure
from widefork.core.lines import Line
from widefork.store.log import Author
from widefork.web.pages.swings.one.asked import Asked
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, round_ticks
from widefork.web.shared.context import View, store
from widefork.web.shared.lever_words import amount_words, end_words, moved_words

PIECE = 256
"""Assumptions worked out at once; a longer list shows those first, and the others as they come."""
SHOWN = 22
WIDTH, BESIDE_WIDTH, MARGIN = 430, 324, 72
"""Of the bars, pixels: alone, and beside a second figure; and the room for words at both ends."""
SECOND_WIDTH = 92
NOBODY_WROTE, CAME_ALONG = "-", "+"


@dataclass(frozen=True, kw_only=True)
class Bar:
    """One row. Pixels: ``low`` and ``high`` are (x, width); ``labels`` are (x, anchor, text)."""

    rank: int
    key: str
    label: str
    section: str
    url: str
    is_chosen: bool
    low: tuple[float, float]
    high: tuple[float, float]
    is_same_side: bool
    labels: tuple[tuple[float, str, str], ...]
    spread: str
    said: str
    reaches: bool
    second: tuple[float, float, str] | None


@dataclass(frozen=True, kw_only=True)
class Ranking:
    """All bars and what the axis says. ``done`` of ``of`` assumptions are worked out; ``more`` rows are not shown."""

    bars: tuple[Bar, ...]
    now_x: float
    goal_x: float | None
    ticks: tuple[tuple[float, str], ...]
    second_now_x: float
    second_label: str
    width: int
    second_width: int
    done: int
    of: int
    next_piece: int
    more: int
    still: tuple[str, ...]
    zero: tuple[str, ...]
    apart: tuple[str, ...]
    sections: tuple[tuple[str, str], ...]
    authors: tuple[tuple[str, str], ...]


def found_swings(view: View, asked: Asked) -> tuple[Swings, Trials]:
    """Return the ranking as far as it is asked for, and all that belongs to it; kept with the model as it stands."""
    snapshot, case = view.snapshot, view.address.case

    def prepare() -> Trials:
        return prepare_swings(
            snapshot.plan,
            snapshot.model.changes_of(case),
            asked.figure,
            asked.share,
            asked.way,
            asked.second,
            asked.is_apart,
            asked.together,
        )

    trials = snapshot.kept(("swings", case, asked.ranking_key), prepare)
    pieces = max(1, min(asked.upto or 1, -(-len(trials.stretches) // PIECE)))
    amounts = [
        snapshot.kept(("swings", case, asked.ranking_key, start), partial(trials.amounts, start, start + PIECE))
        for start in range(0, pieces * PIECE, PIECE)
    ]
    return trials.ranked(np.concatenate(amounts, axis=1)), trials


def build_ranking(view: View, asked: Asked, found: Swings, trials: Trials) -> Ranking:
    """Return the rows of a ranking, filtered by section and by who wrote an assumption's reason."""
    model = view.snapshot.model
    authors = note_authors(view)

    def is_kept(moved: Moved) -> bool:
        return _is_kept(model.line(moved.lines[0]), asked, authors)

    kept = [(rank, swing) for rank, swing in enumerate(found.ranked, 1) if is_kept(swing.moved)]
    shown = kept if asked.shows_all else kept[:SHOWN]
    # The one chosen stays in sight, wherever it ranks.
    shown += [pair for pair in kept[len(shown) :] if pair[1].moved.key == asked.chosen]
    width = WIDTH if asked.second is None else BESIDE_WIDTH
    scale = _scale([swing for _, swing in shown], found.now[0], asked.goal, width)
    second = _second_scale([swing for _, swing in shown], found.now)
    done = min(len(trials.stretches), max(1, asked.upto) * PIECE)
    labels = {name: model.line(name).label for name in model.line_by_name}
    sections = {model.line(swing.line).section for swing in found.ranked}
    known = {_author_of(model.line(swing.line), authors) for swing in found.ranked}
    return Ranking(
        bars=tuple(_bar(view, asked, rank, swing, found.now, scale, second) for rank, swing in shown),
        now_x=_now_x(scale, found.now[0]),
        goal_x=scale(asked.goal) if asked.goal is not None and scale.low <= asked.goal <= scale.high else None,
        ticks=_ticks(view, asked.figure, scale),
        second_now_x=second(found.now[1]) if second is not None else 0.0,
        second_label=asked.second.label if asked.second is not None else "",
        width=width,
        second_width=SECOND_WIDTH,
        done=done,
        of=len(trials.stretches),
        next_piece=max(1, asked.upto) + 1 if done < len(trials.stretches) else 0,
        more=len(kept) - len(shown),
        still=tuple(moved_words(model, each) for each in found.without_effect if is_kept(each)),
        zero=tuple(moved_words(model, each) for each in found.zero if is_kept(each)),
        apart=tuple(labels[name] for name in found.apart),
        sections=tuple((s.name, s.label) for s in model.sections if s.name in sections),
        authors=tuple((key, _AUTHORS.get(key, key)) for key in sorted(known)),
    )  # fmt: skip


_AUTHORS = {NOBODY_WROTE: "nobody: no reason is given", CAME_ALONG: "who brought the model"}


def note_authors(view: View) -> dict[str, Author]:
    """Return who last wrote an assumption's reason, by line; those that came with the model have none."""
    snapshot = view.snapshot
    return snapshot.kept("note authors", lambda: store().note_authors(view.address.model_id))


def _author_of(line: Line, authors: dict[str, Author]) -> str:
    if not line.note:
        return NOBODY_WROTE
    return authors[line.name].person if line.name in authors else CAME_ALONG


def _is_kept(line: Line, asked: Asked, authors: dict[str, Author]) -> bool:
    if asked.section and line.section != asked.section:
        return False
    return not asked.who or _author_of(line, authors) == asked.who


def _scale(swings: list[Swing], now: float, goal: float | None, width: int) -> Scale:
    """Over all ends and where the figure stands; the goal too, unless it would make the bars small."""
    known = [v for s in swings for v in (s.lowered, s.raised) if np.isfinite(v)] + ([now] if np.isfinite(now) else [])
    low, high = (min(known), max(known)) if known else (0.0, 1.0)
    span = high - low or 1.0
    if goal is not None and low - span <= goal <= high + span:
        low, high = min(low, goal), max(high, goal)
    return Scale(low=low, high=high if high > low else low + 1.0, start=MARGIN, end=width - MARGIN)


def _second_scale(swings: list[Swing], now: tuple[float, ...]) -> Scale | None:
    if len(now) < 2:
        return None
    known = [value for swing in swings for value in (*swing.second, now[1]) if np.isfinite(value)]
    low, high = (min(known), max(known)) if known else (0.0, 1.0)
    return Scale(low=low, high=high if high > low else low + 1.0, start=6, end=SECOND_WIDTH - 6)


def _ticks(view: View, figure: Figure, scale: Scale) -> tuple[tuple[float, str], ...]:
    line = view.snapshot.model.line(figure.line)
    if figure.reduction.gives_month:
        return ()
    inside = [tick for tick in round_ticks(scale.low, scale.high, 4) if scale.low <= tick <= scale.high]
    return tuple((scale(tick), formats.amount(tick, line.unit)) for tick in inside)


def _bar(
    view: View, asked: Asked, rank: int, swing: Swing, now: tuple[float, ...], scale: Scale, second: Scale | None
) -> Bar:
    model, figure = view.snapshot.model, asked.figure
    line = model.line(figure.line)
    low, _, high = swing.stretch.bounds
    ends = tuple(end_words(model, swing.stretch, amount) for amount in (low, high))
    moved = tuple(amount_words(model, swing.stretch, amount) for amount in (low, high))
    texts = [formats.figure_difference(figure, line, change) or "no answer" for change in (swing.down, swing.up)]
    values = [formats.figure_text(figure, line, value) for value in (swing.lowered, swing.raised)]
    spans = tuple(_span(scale, now[0], value) for value in (swing.lowered, swing.raised))
    reaches = asked.goal is not None and any(
        (np.isfinite(value) and (value >= asked.goal) == (asked.sense == "at least")) or value == asked.goal
        for value in (swing.lowered, swing.raised)
    )
    is_same = swing.down * swing.up > 0
    said = "; ".join(
        f"{change}{f' ({end})' if end != change else ''}: {text}, {value}"
        for change, end, text, value in zip(moved, ends, texts, values, strict=True)
    )
    spread = swing.raised - swing.lowered
    return Bar(
        rank=rank,
        key=swing.moved.key,
        label=moved_words(model, swing.moved),
        section=next(s.label for s in model.sections if s.name == model.line(swing.line).section),
        url=view.address.url(line=swing.moved.key),
        is_chosen=swing.moved.key == asked.chosen,
        low=spans[0],
        high=spans[1],
        is_same_side=bool(is_same),
        labels=_labels(_now_x(scale, now[0]), spans, ends, bool(is_same)),
        spread=formats.figure_difference(figure, line, abs(spread)).lstrip("+") if np.isfinite(spread) else "",
        said=said,
        reaches=reaches,
        second=_second(view, asked, swing, second),
    )


def _now_x(scale: Scale, now: float) -> float:
    """Where the figure stands; the middle where it has no value."""
    return scale(now) if np.isfinite(now) else (scale.start + scale.end) / 2


def _span(scale: Scale, now: float, value: float) -> tuple[float, float]:
    if not np.isfinite([now, value]).all():
        return _now_x(scale, now), 0.0
    ends = sorted((scale(now), scale(value)))
    return ends[0], round(ends[1] - ends[0], 1)


def _labels(
    now: float, spans: tuple[tuple[float, float], ...], ends: tuple[str, ...], is_same: bool
) -> tuple[tuple[float, str, str], ...]:
    """The ends' words at the ends of the bars; one beside the other where both bars go to the same side."""
    if is_same:
        longest = max(spans, key=lambda span: span[1])
        words = " · ".join(ends)
        is_left = longest[0] < now - 0.1
        return ((longest[0] - 4 if is_left else longest[0] + longest[1] + 4, "end" if is_left else "start", words),)
    found = []
    lefts = [span[0] < now - 0.1 for span in spans]
    for place, ((x, width), end) in enumerate(zip(spans, ends, strict=True)):
        is_left = lefts[place] if width else not lefts[1 - place]
        found.append((x - 4 if is_left else x + width + 4, "end" if is_left else "start", end))
    return tuple(found)


def _second(view: View, asked: Asked, swing: Swing, scale: Scale | None) -> tuple[float, float, str] | None:
    """Where the second figure goes: its pixels at the low and the high end, and both in words."""
    if scale is None or asked.second is None or not np.isfinite(swing.second).all():
        return None
    line = view.snapshot.model.line(asked.second.line)
    low, high = swing.second
    words = " and ".join(formats.figure_text(asked.second, line, value) for value in (low, high))
    return scale(low), scale(high), f"{asked.second.label}: {words}"


def why_nothing(view: View, asked: Asked, found: Swings) -> str:
    """Return why nothing is ranked: the figure depends on nothing, or on what this share does not move it by."""
    label = asked.figure.label
    if asked.way is Way.RANGE and found.without_range and not found.without_effect:
        return f"No assumption behind {label} has a range yet. Give them one below."
    if not found.without_effect:
        return f"Nothing moves {label}: it does not depend on any assumption that is not 0."
    if asked.way is not Way.SHARE:
        how = "its low or its high" if asked.way is Way.RANGE else "one unit less or more"
        return f"None of the assumptions behind {label} moves it by {how}."
    count = len(found.without_effect)
    behind = f"{count} assumption{'' if count == 1 else 's'}"
    percent = f"{asked.share * 100:g} %"
    changes = view.snapshot.model.changes_of(view.address.case)
    share = first_share_that_moves(view.snapshot.plan, changes, asked.figure, asked.share)
    if share is None:
        return f"{label} depends on {behind}, but none moves it by itself, not even by 100 %."
    return (
        f"{label} depends on {behind}, but {percent} less or more of any one does not move it; "
        f"at {share * 100:g} % one does."
    )
