"""Notes to people, written with an edit and taken back with it. They wait in the outbox: nothing is sent from here."""

from widefork.store.edit import Apply, Edit
from widefork.store.tables import NoteRow


def write_note(recipient: str, text: str, sentence: str) -> Apply:
    """Put a note into the outbox."""

    def apply(edit: Edit) -> None:
        edit.describe(f"note:{recipient}", sentence)
        edit.add(NoteRow(model_id=edit.model_id, recipient=recipient, text=text, revision=edit.rows.frame.revision + 1))

    return apply
