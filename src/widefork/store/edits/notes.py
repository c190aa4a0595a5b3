"""Notes to people, written with an edit and taken back with it. They wait in the outbox: nothing is sent from here."""

from widefork.store.edits.rows import Apply
from widefork.store.model_store import Edit
from widefork.store.tables import ModelRow, NoteRow


def write_note(recipient: str, text: str, sentence: str) -> Apply:
    """Put a note into the outbox."""

    def apply(edit: Edit) -> None:
        model = edit.session.get(ModelRow, edit.model_id)
        assert model is not None  # the store has just read it
        edit.describe(f"note:{recipient}", sentence)
        edit.add(NoteRow(model_id=edit.model_id, recipient=recipient, text=text, revision=model.revision + 1))

    return apply
