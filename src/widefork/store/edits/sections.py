"""Edits of sections."""

from typing import Any

from widefork.core.errors import InvalidModel
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import named_row, next_position, refuse_same_label, refuse_taken, swap_positions
from widefork.store.tables import SectionRow


def add_section(name: str, label: str, note: str, sentence: str) -> Apply:
    """Add a section behind the others."""

    def apply(edit: Edit) -> None:
        refuse_taken(edit.rows.sections, "section", name, f"sections/{name}")
        refuse_same_label(edit.rows.sections, "section", label, f"sections/{name}")
        edit.describe(f"section:{name}", sentence)
        position = next_position(edit.rows.sections)
        edit.add(SectionRow(model_id=edit.model_id, position=position, name=name, label=label, note=note))

    return apply


def change_section(name: str, sentence: str, **values: Any) -> Apply:
    """Change a section's label or note."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.sections, "section", name)
        if values.get("label", row.label) != row.label:
            refuse_same_label(edit.rows.sections, "section", values["label"], f"sections/{name}", row)
        edit.describe(f"section:{row.id}", sentence)
        edit.update(row, **values)

    return apply


def move_section(name: str, by: int, sentence: str) -> Apply:
    """Move a section one place up (-1) or down (+1)."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.sections, "section", name)
        edit.describe(f"section:{row.id}|order", sentence)
        swap_positions(edit, list(edit.rows.sections), row, by)

    return apply


def remove_section(name: str, sentence: str) -> Apply:
    """Remove an empty section.

    Raises (when applied)
    ------
    InvalidModel: it still holds lines.
    """

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.sections, "section", name)
        held = [line.label for line in edit.rows.lines if line.section_id == row.id]
        if held:
            raise InvalidModel(
                f"{row.label} still holds {len(held)} lines, such as {held[0]}. Move or delete them first.",
                f"sections/{name}",
            )
        edit.describe(f"section:{row.id}", sentence)
        edit.remove(row)

    return apply
