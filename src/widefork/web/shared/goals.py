"""Goals the model keeps, as they stand now."""

from dataclasses import dataclass
from urllib.parse import urlencode

from widefork.core.analysis.goal_seek import Wanted, wanted_amounts
from widefork.core.goals import PinnedGoal
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.context import View
from widefork.web.shared.goal_words import figure_words, room_words, target_words


@dataclass(frozen=True, kw_only=True)
class GoalLine:
    """A goal kept. ``style`` is of its case; None where that is laid aside, and then nothing else is said."""

    name: str
    figure: str
    target: str
    case: str
    style: int | None
    holds: bool
    now: str
    room: str
    url: str


def goal_lines(view: View) -> tuple[GoalLine, ...]:
    """Return the goals kept, those that hold no longer first."""
    rows = [_row(view, goal) for goal in view.snapshot.model.goals]
    return tuple(sorted(rows, key=lambda row: row.holds))


def _row(view: View, goal: PinnedGoal) -> GoalLine:
    model = view.snapshot.model
    figure = model.figure(goal.figure)
    wanted = Wanted(figure, goal.sense, goal.target)
    label = next(case.label for case in model.family.cases if case.name == goal.case)
    if goal.case not in model.case_by_name:
        return GoalLine(
            name=goal.name, figure=figure.label, target=target_words(model, wanted), case=f"{label}, laid aside",
            style=None, holds=True, now="–", room="", url="",
        )  # fmt: skip
    place = view.snapshot.place(goal.case)
    value = float(wanted_amounts(view.snapshot.plan, [model.changes_of(goal.case)], [wanted])[0, 0])
    pairs = [("figure", figure.label), ("sense", goal.sense.value), ("target", _typed(view, wanted)), ("ask", "1")]
    bare = view.address.plain.url("work_back", case=goal.case)
    return GoalLine(
        name=goal.name,
        figure=figure.label,
        target=target_words(model, wanted),
        case=label,
        style=style_of(place),
        holds=wanted.holds(value),
        now=figure_words(model, wanted, value),
        room=room_words(model, wanted, value),
        url=f"{bare}&{urlencode(pairs)}",
    )


def _typed(view: View, wanted: Wanted) -> str:
    model = view.snapshot.model
    if wanted.figure.reduction.gives_month:
        return figure_words(model, wanted, wanted.target)
    return formats.typed(wanted.target, model.line(wanted.figure.line).unit)
