"""One edit while it is made: the rows it touches, recorded as it touches them, and all of it taken back if need be."""

from collections.abc import Callable
from typing import Any

from sqlmodel import Session

from widefork.core.finance.assemble import assemble, build_plan
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan
from widefork.store.ids import Ids
from widefork.store.loading import ModelBuilder
from widefork.store.rows import Row, Rows, as_stored, document_of
from widefork.store.tables import ENTITIES, EditItemRow

STEPS = ("change", "switch")
"""Tables of the steps of cases."""

Apply = Callable[["Edit"], None]
"""What an edit does, through the ``Edit`` it is given."""


class Edit:
    """The rows one gesture touches. Handed to what an edit does.

    Parameters
    ----------
    rows : the model's, changed in place. builder : of the model from them. plan : of the model before the edit.
    """

    def __init__(self, rows: Rows, builder: ModelBuilder, ids: Ids, plan: Plan) -> None:
        self.rows, self._builder, self._ids = rows, builder, ids
        self._plan, self._present, self._items_then = plan, plan.model, 0
        self.items: list[EditItemRow] = []
        self.beside: list[Callable[[Session], None]] = []
        self.subject = ""
        self.sentence = ""

    @property
    def model_id(self) -> int:
        """The model's id."""
        return self.rows.model_id

    def present_model(self) -> Model:
        """Return the model as it stands inside the edit, generated lines included."""
        if self._items_then != len(self.items):
            self._builder.forget(touched(self.items[self._items_then :]))
            self._present, self._items_then = assemble(self._builder.build(), self._plan), len(self.items)
        return self._present

    def present_plan(self) -> Plan:
        """Return the model as it stands inside the edit, compiled."""
        self.present_model()
        return build_plan(self._builder.build(), self._plan)

    def describe(self, subject: str, sentence: str) -> None:
        """Say what is edited (for conflicts) and what was done (for the log)."""
        self.subject, self.sentence = subject, sentence

    def also(self, write: Callable[[Session], None]) -> None:
        """Write something beside the model's rows in the same transaction, such as a sketch that is kept."""
        self.beside.append(write)

    def update(self, row: Row, **values: Any) -> None:
        """Change columns of a row."""
        before = document_of(row)
        wanted = {key: as_stored(value) for key, value in values.items()}  # all of them, before any is set
        for key, value in wanted.items():
            setattr(row, key, value)
        after = document_of(row)
        if after != before:
            self.rows.put(row)
            self._record(row, before, after)

    def add(self, row: Row) -> None:
        """Add a row; it gets its id."""
        if row.id is None:
            row.id = self._ids.next(row.__tablename__)
        for key, value in row.model_dump().items():
            setattr(row, key, as_stored(value))
        self.rows.put(row)
        self._record(row, None, document_of(row))

    def remove(self, row: Row) -> None:
        """Remove a row; a case that dropped it as an inherited step has nothing left to drop."""
        dropped = {row.__tablename__: row.id}
        for case in self.rows.cases if row.__tablename__ in STEPS else ():
            if dropped in case.drops:
                self.update(case, drops=[drop for drop in case.drops if drop != dropped])
        before = document_of(row)
        self.rows.drop(row)
        self._record(row, before, None)

    def take_back(self) -> None:
        """Leave the rows as they were before the edit."""
        for item in reversed(self.items):
            row = self.rows.get(item.entity, item.entity_id)
            if item.before is None:
                self.rows.drop(row)
            elif row is None:
                self.rows.put(ENTITIES[item.entity](**item.before))
            else:
                for key, value in item.before.items():
                    setattr(row, key, value)
                self.rows.put(row)
        self._builder.forget(touched(self.items))

    def _record(self, row: Row, before: dict[str, Any] | None, after: dict[str, Any] | None) -> None:
        self.items.append(
            EditItemRow(entity=row.__tablename__, entity_id=row.id, before=before, after=after, edit_id=0)
        )


def touched(items: list[EditItemRow]) -> list[tuple[str, int, bool]]:
    """Return which rows were touched, and whether no more than values changed in them; see ``ModelBuilder``."""
    return [(item.entity, item.entity_id, _keeps_name(item)) for item in items]


def _keeps_name(item: EditItemRow) -> bool:
    if item.before is None or item.after is None:
        return False
    return bool(item.before.get("name") == item.after.get("name"))
