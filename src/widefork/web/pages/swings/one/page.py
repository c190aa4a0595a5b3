"""The whole of One by one: the sentence's answer, the bars, the side, and what has no range."""

from dataclasses import dataclass
from urllib.parse import quote

from widefork.core.analysis.grid import line_phrase
from widefork.core.analysis.sensitivity import Swing, Swings, Way
from widefork.web.pages.swings.one.asked import Asked
from widefork.web.pages.swings.one.curve import CurveView, build_curve
from widefork.web.pages.swings.one.ranges import SectionMissing, missing_ranges
from widefork.web.pages.swings.one.ranking import Ranking, build_ranking, found_swings, why_nothing
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.lever_words import amount_words, moved_words
from widefork.web.shared.ranges import range_words


@dataclass(frozen=True, kw_only=True)
class Chosen:
    """What is chosen beside its curve.

    Parameters
    ----------
    lines : (name, label, rule's reason, its range as typed, address of its panel, address without it in the group).
    others : assumptions it may be joined with: (name, label).
    """

    key: str
    label: str
    lines: tuple[tuple[str, str, str, str, str, str], ...]
    others: tuple[tuple[str, str], ...]
    groups: tuple[str, ...]
    roots_url: str
    next_key: str
    next_label: str
    two_url: str


@dataclass(frozen=True, kw_only=True)
class OneByOne:
    """The whole tab. ``sentence`` is the answer; ``counts`` says how many were moved and how many not."""

    figure_label: str
    now: str
    sentence: str
    counts: str
    ranking: Ranking
    missing: tuple[SectionMissing, ...]
    missing_count: int
    chosen: Chosen | None
    curve: CurveView | None


def build_one(view: View, asked: Asked) -> OneByOne:
    """Return the tab for what is asked."""
    model = view.snapshot.model
    found, trials = found_swings(view, asked)
    ranking = build_ranking(view, asked, found, trials)
    swing = _chosen(found, ranking, asked)
    line = model.line(asked.figure.line)
    missing = missing_ranges(model, found.without_range)
    return OneByOne(
        figure_label=asked.figure.label,
        now=formats.figure_text(asked.figure, line, found.now[0]),
        sentence=_sentence(view, asked, found),
        counts=_counts(asked, found),
        ranking=ranking,
        missing=missing,
        missing_count=len(found.without_range),
        chosen=_side(view, asked, found, swing) if swing is not None else None,
        curve=build_curve(view, asked, swing.stretch) if swing is not None else None,
    )


def _chosen(found: Swings, ranking: Ranking, asked: Asked) -> Swing | None:
    by_key = {swing.moved.key: swing for swing in found.ranked}
    first = ranking.bars[0].key if ranking.bars else ""
    return by_key.get(asked.chosen) or by_key.get(first)


def _sentence(view: View, asked: Asked, found: Swings) -> str:
    if not found.ranked:
        return why_nothing(view, asked, found)
    model, figure = view.snapshot.model, asked.figure
    line, top = model.line(figure.line), found.ranked[0]
    low, _, high = top.stretch.bounds
    ends = [
        (formats.figure_difference(figure, line, change) or "no answer", amount_words(model, top.stretch, amount))
        for change, amount in ((top.down, low), (top.up, high))
    ]
    effects = ", ".join(f"{effect} at {end}" for effect, end in ends)
    said = f"{moved_words(model, top.moved)} most of all: {effects}."
    if asked.goal is None:
        return said
    alone = [s for s in found.ranked if _reaches(asked, s.lowered) or _reaches(asked, s.raised)]
    goal = f"{asked.sense} {formats.figure_text(figure, line, asked.goal)}"
    if _reaches(asked, found.now[0]):
        return f"{said} It is {goal} already."
    if not alone:
        return f"{said} None reaches {goal} by itself."
    names = "One reaches" if len(alone) == 1 else f"{len(alone)} reach"
    return f"{said} {names} {goal} by {'itself' if len(alone) == 1 else 'themselves'}."


def _reaches(asked: Asked, value: float) -> bool:
    if asked.goal is None:
        return False
    return value >= asked.goal if asked.sense == "at least" else value <= asked.goal


def _counts(asked: Asked, found: Swings) -> str:
    moved = len(found.ranked) + len(found.without_effect)
    said = f"{len(found.ranked)} of {moved} moved have an effect"
    if asked.way is Way.RANGE and found.without_range:
        count = len(found.without_range)
        said += f"; {count} {'has' if count == 1 else 'have'} no range"
    return said


def _side(view: View, asked: Asked, found: Swings, swing: Swing) -> Chosen:
    model, address = view.snapshot.model, view.address
    moved = swing.moved
    groups = ["+".join(group) for group in asked.together]
    own = "+".join(moved.lines)
    rest = [group for group in groups if group != own]
    bare = {"together": ""}
    lines = []
    for name in moved.lines:
        line = model.line(name)
        less = [each for each in moved.lines if each != name]
        kept = [*rest, "+".join(less)] if len(less) > 1 else rest
        without = address.url(**bare, line="+".join(less)) + "".join(f"&together={quote(group)}" for group in kept)
        lines.append((name, line.label, line.note, range_words(line.plausible, line.unit),
                      address.url("drivers", open=name), without))  # fmt: skip
    in_groups = {name for group in asked.together for name in group}
    others = [
        (other.line, model.line(other.line).label)
        for other in found.ranked
        if other.line not in in_groups and other.line not in moved.lines and not other.moved.members
    ]
    following = next((s for s in found.ranked if s.line not in moved.lines), None)
    month = min(model.timeline.first_plan, model.timeline.end)
    other = following.line if following is not None else ""
    return Chosen(
        key=moved.key,
        label=moved_words(model, moved),
        lines=tuple(lines),
        others=tuple(sorted(dict(others).items(), key=lambda pair: pair[1].casefold())) if not moved.members else (),
        groups=tuple(rest),
        roots_url=address.url("roots", line=swing.line, start=month, end=month),
        next_key=following.moved.key if following is not None else "",
        next_label=moved_words(model, following.moved) if following is not None else "",
        two_url=address.url(view="two", across=line_phrase(model, swing.line), down=line_phrase(model, other))
        if other else "",
    )  # fmt: skip
