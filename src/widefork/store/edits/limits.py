"""Edits of covenants and of checks of the user's own."""

from widefork.core.graph.model import Limit
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import named_row, next_position, refuse_taken
from widefork.store.saving import limit_row


def add_limit(limit: Limit, sentence: str) -> Apply:
    """Store a new limit behind the others."""

    def apply(edit: Edit) -> None:
        refuse_taken(edit.rows.limits, "limit", limit.name, f"limits/{limit.name}")
        edit.describe(f"limit:{limit.name}", sentence)
        edit.add(limit_row(limit, next_position(edit.rows.limits), edit.rows))

    return apply


def change_limit(limit: Limit, sentence: str) -> Apply:
    """Give the limit of that name other words, bounds or dates."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.limits, "limit", limit.name)
        edit.describe(f"limit:{limit.name}", sentence)
        wanted = limit_row(limit, row.position, edit.rows).model_dump(exclude={"id"})
        edit.update(row, **wanted)

    return apply


def remove_limit(name: str, sentence: str) -> Apply:
    """Remove a limit."""

    def apply(edit: Edit) -> None:
        edit.describe(f"limit:{name}", sentence)
        edit.remove(named_row(edit.rows.limits, "limit", name))

    return apply
