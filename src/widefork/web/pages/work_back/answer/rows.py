"""The watched figures, and those the sentence asks about, before and with an answer."""

from collections.abc import Sequence
from dataclasses import dataclass

from widefork.core.analysis.figures import answer
from widefork.core.analysis.goal_seek import Wanted
from widefork.core.changes import Change
from widefork.core.engine import evaluate
from widefork.core.figures import Figure
from widefork.core.graph.calculate import ChangeList
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.goal_words import room_words, target_words


@dataclass(frozen=True, kw_only=True)
class FigureRow:
    """A figure before and with the answer; what is kept says how much room it has."""

    label: str
    now: str
    then: str
    difference: str
    is_goal: bool
    is_kept: bool
    kept: str


def figure_rows(
    view: View, changes: Sequence[Change], then: ChangeList, wanted: Sequence[Wanted]
) -> tuple[FigureRow, ...]:
    """Return what the sentence asks about, then every stored figure."""
    snapshot, model = view.snapshot, view.snapshot.model
    both = evaluate(snapshot.plan, [changes, then])
    asked = {each.figure.name: each for each in wanted if each.figure in model.figures}
    further = [each for each in wanted if each.figure not in model.figures]
    figures: list[tuple[Figure, Wanted | None]] = [(each.figure, each) for each in further]
    figures += [(figure, asked.get(figure.name)) for figure in model.figures]
    rows = []
    for figure, goal in figures:
        line = model.line(figure.line)
        answers = answer(figure, both)
        now, after = (float(v) for v in answers.amounts)
        kept = ""
        if goal is not None and goal is not wanted[0]:
            spare = room_words(model, goal, after)
            kept = f"{target_words(model, goal)}: {spare} {'of room' if goal.holds(after) else 'short'}"
        rows.append(
            FigureRow(
                label=figure.label,
                now=formats.figure_text(figure, line, now),
                then=formats.figure_text(figure, line, after),
                difference=formats.figure_difference(figure, line, after - now) or "–",
                is_goal=goal is not None and goal is wanted[0],
                is_kept=bool(kept),
                kept=kept,
            )
        )
    rows.sort(key=lambda row: (not row.is_goal, not row.is_kept))
    return tuple(rows)
