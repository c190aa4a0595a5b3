"""Edits of the goals a model keeps."""

from widefork.core.figures import Figure
from widefork.core.goals import PinnedGoal
from widefork.store.edit import Apply, Edit
from widefork.store.edits.figures import add_figure
from widefork.store.edits.frame import change_model
from widefork.store.edits.rows import refuse_taken
from widefork.store.loading import goals_of
from widefork.store.saving import goals_document


def pin_goal(goal: PinnedGoal, sentence: str, figure: Figure | None = None) -> Apply:
    """Keep a goal behind the others.

    Parameters
    ----------
    figure : stored first, where the goal asks about one that is not stored yet.

    Raises (when applied)
    ------
    InvalidModel: a name taken. UnknownName: no such figure or case.
    """

    def apply(edit: Edit) -> None:
        known = goals_of(edit.rows.frame.goals, edit.rows)
        refuse_taken(known, "goal", goal.name, f"goals/{goal.name}")
        if figure is not None:
            add_figure(figure, sentence)(edit)
        change_model(sentence, goals=goals_document((*known, goal), edit.rows))(edit)

    return apply


def unpin_goal(name: str, sentence: str) -> Apply:
    """Keep a goal no longer; its figure stays."""

    def apply(edit: Edit) -> None:
        kept = [goal for goal in goals_of(edit.rows.frame.goals, edit.rows) if goal.name != name]
        change_model(sentence, goals=goals_document(kept, edit.rows))(edit)

    return apply
