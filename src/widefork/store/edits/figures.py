"""Edits of stored figures."""

from typing import Any

from widefork.core.figures import Figure
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import named_row, next_position, refuse_same_label
from widefork.store.saving import figure_row


def add_figure(figure: Figure, sentence: str) -> Apply:
    """Store a new figure behind the others."""

    def apply(edit: Edit) -> None:
        refuse_same_label(edit.rows.figures, "figure", figure.label, f"figures/{figure.name}")
        edit.describe(f"figure:{figure.name}", sentence)
        edit.add(figure_row(figure, next_position(edit.rows.figures), edit.present_model(), edit.rows))

    return apply


def change_figure(name: str, sentence: str, **values: Any) -> Apply:
    """Change columns of a stored figure, such as whether it is pinned."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.figures, "figure", name)
        edit.describe(f"figure:{name}", sentence)
        edit.update(row, **values)

    return apply


def remove_figure(name: str, sentence: str) -> Apply:
    """Remove a stored figure."""

    def apply(edit: Edit) -> None:
        edit.describe(f"figure:{name}", sentence)
        edit.remove(named_row(edit.rows.figures, "figure", name))

    return apply
