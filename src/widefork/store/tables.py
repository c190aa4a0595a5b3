"""The tables. They only store: values are checked by the core before they get here.

Ids are permanent: a rename changes one row's name and the text of formulas, nothing else. Months are ISO text
(2026-07). Amounts are floats, as in the core.
"""

from typing import Any

from sqlalchemy import JSON, CheckConstraint, Column, MetaData, UniqueConstraint
from sqlmodel import Field, SQLModel

SQLModel.metadata.naming_convention = MetaData(
    naming_convention={
        "ix": "ix_%(column_0_label)s",
        "uq": "uq_%(table_name)s_%(column_0_N_name)s",
        "ck": "ck_%(table_name)s_%(constraint_name)s",
        "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
        "pk": "pk_%(table_name)s",
    }
).naming_convention


def _document() -> Any:
    return Field(sa_column=Column(JSON, nullable=False))


def _list() -> Any:
    return Field(default_factory=list, sa_column=Column(JSON, nullable=False, server_default="[]"))


def _mapping() -> Any:
    return Field(default_factory=dict, sa_column=Column(JSON, nullable=False, server_default="{}"))


_ONE_TARGET = "(line_id IS NOT NULL) + (part IS NOT NULL) = 1 AND (schedule_id IS NULL OR part IS NOT NULL)"
"""A target is a line of the user's, a part of a schedule, or (part alone) a caption of the statements."""


class ModelRow(SQLModel, table=True):
    """A model's frame. ``revision`` counts its edits; ``binned_at`` says since when it lies in the bin."""

    __tablename__ = "model"
    id: int | None = Field(default=None, primary_key=True)
    name: str
    currency: str
    start: str
    month_count: int
    fiscal_year_start: int
    last_actual: str | None
    opening_balances: dict[str, float] = _document()
    statements: dict[str, Any] = _mapping()
    liquidity: dict[str, Any] = _mapping()
    not_ours: list[str] = _list()
    units: list[dict[str, Any]] = _list()
    ranges: dict[str, Any] = _mapping()
    spreads: dict[str, Any] = _mapping()
    goals: list[dict[str, Any]] = _document()
    revision: int = 0
    binned_at: str | None = None


class DimensionRow(SQLModel, table=True):
    """A dimension."""

    __tablename__ = "dimension"
    __table_args__ = (UniqueConstraint("model_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    position: int
    name: str
    label: str


class MemberRow(SQLModel, table=True):
    """A member of a dimension."""

    __tablename__ = "member"
    __table_args__ = (UniqueConstraint("dimension_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    dimension_id: int = Field(foreign_key="dimension.id", index=True, ondelete="CASCADE")
    position: int
    name: str
    attributes: dict[str, Any] = _document()


class SectionRow(SQLModel, table=True):
    """A chapter of lines."""

    __tablename__ = "section"
    __table_args__ = (UniqueConstraint("model_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    position: int
    name: str
    label: str
    note: str


class ProfileRow(SQLModel, table=True):
    """A curve by age."""

    __tablename__ = "profile"
    __table_args__ = (UniqueConstraint("model_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    position: int
    name: str
    label: str
    amounts: list[float] = _document()


class FlagRow(SQLModel, table=True):
    """A flag or counter of the modeller's own."""

    __tablename__ = "flag"
    __table_args__ = (UniqueConstraint("model_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    position: int
    name: str
    label: str
    first: str | None
    last: str | None
    months_of_year: list[int] = _document()
    counts: bool
    note: str


class LineRow(SQLModel, table=True):
    """A line of the user's. ``rules`` and ``actuals`` are lists of {members: [member ids], ...}.

    A month nothing is known of is null among actuals.
    """

    __tablename__ = "line"
    __table_args__ = (UniqueConstraint("model_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    section_id: int = Field(foreign_key="section.id")
    position: int
    name: str
    label: str
    unit: str
    dimensions: list[int] = _document()
    formula: str | None
    rules: list[dict[str, Any]] = _document()
    rollup: dict[str, Any] = _document()
    opening: float
    history: list[float] = _document()
    actuals: list[dict[str, Any]] = _document()
    posts_to: str
    note: str
    allow_loop: bool = False
    is_fixed: bool = False
    absent: list[list[int]] = _list()
    look: dict[str, Any] = _mapping()
    plausible: dict[str, Any] = _mapping()


class ScheduleRow(SQLModel, table=True):
    """A schedule's settings; lines it works on are stored by id."""

    __tablename__ = "schedule"
    __table_args__ = (UniqueConstraint("model_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    position: int
    kind: str
    name: str
    label: str
    settings: dict[str, Any] = _document()


class CaseRow(SQLModel, table=True):
    """A case; the root has no parent. ``drops`` holds inherited steps, as {change: id} or {switch: id}.

    ``weight`` is null for a case that is a choice, not a future.
    """

    __tablename__ = "case"
    __table_args__ = (UniqueConstraint("model_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    parent_id: int | None = Field(default=None, foreign_key="case.id")
    position: int
    name: str
    label: str
    note: str
    drops: list[dict[str, int]] = _document()
    weight: float | None = None
    is_pinned: bool = False
    is_archived: bool = False


class MoveRow(SQLModel, table=True):
    """A named bundle of changes. ``aims`` holds {figure, amount}, the figure by its id."""

    __tablename__ = "move"
    __table_args__ = (UniqueConstraint("model_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    position: int
    name: str
    label: str
    start: str
    note: str
    owner: str = ""
    status: str = "idea"
    one_of: str = ""
    aims: list[dict[str, Any]] = _list()


class SwitchRow(SQLModel, table=True):
    """A move switched on in a case: one of its steps, in one order with its changes."""

    __tablename__ = "switch"
    id: int | None = Field(default=None, primary_key=True)
    case_id: int = Field(foreign_key="case.id", index=True, ondelete="CASCADE")
    move_id: int = Field(foreign_key="move.id", index=True, ondelete="CASCADE")
    position: int
    start: str | None
    strength: float = 1.0


class ChangeRow(SQLModel, table=True):
    """One change of a case or of a move. ``members`` holds member ids, ``course`` amounts that differ by month."""

    __tablename__ = "change"
    __table_args__ = (
        CheckConstraint(_ONE_TARGET, name="one_target"),
        CheckConstraint("(case_id IS NULL) <> (move_id IS NULL)", name="one_holder"),
    )
    id: int | None = Field(default=None, primary_key=True)
    case_id: int | None = Field(default=None, foreign_key="case.id", index=True, ondelete="CASCADE")
    move_id: int | None = Field(default=None, foreign_key="move.id", index=True, ondelete="CASCADE")
    position: int
    line_id: int | None = Field(default=None, foreign_key="line.id")
    schedule_id: int | None = Field(default=None, foreign_key="schedule.id")
    part: str | None = None
    operation: str
    amount: float
    members: list[int] = _document()
    first: str | None
    last: str | None
    note: str
    catch_up_months: int = 0
    strength: float = 1.0
    name: str = ""
    course: dict[str, Any] = _mapping()


class FigureRow(SQLModel, table=True):
    """A stored figure. ``members`` holds member ids."""

    __tablename__ = "figure"
    __table_args__ = (UniqueConstraint("model_id", "name"), CheckConstraint(_ONE_TARGET, name="one_target"))
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    position: int
    name: str
    label: str
    line_id: int | None = Field(default=None, foreign_key="line.id")
    schedule_id: int | None = Field(default=None, foreign_key="schedule.id")
    part: str | None = None
    members: list[int] = _document()
    first: str | None
    last: str | None
    reduction: str
    comparison: str
    threshold: float
    is_pinned: bool


class LimitRow(SQLModel, table=True):
    """Between what a line must lie, on which dates."""

    __tablename__ = "limit"
    __table_args__ = (UniqueConstraint("model_id", "name"), CheckConstraint(_ONE_TARGET, name="one_target"))
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    position: int
    name: str
    label: str
    line_id: int | None = Field(default=None, foreign_key="line.id")
    schedule_id: int | None = Field(default=None, foreign_key="schedule.id")
    part: str | None = None
    least: float | None
    most: float | None
    tested: str
    first: str | None
    is_covenant: bool
    note: str


class ClosingRow(SQLModel, table=True):
    """A month closed: what the books said. ``figures`` and ``notes`` by a target's key, ``ages`` by schedule id."""

    __tablename__ = "closing"
    __table_args__ = (UniqueConstraint("model_id", "month"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    month: str
    figures: dict[str, float] = _mapping()
    ages: dict[str, list[float]] = _mapping()
    notes: dict[str, str] = _mapping()


class HistoryRow(SQLModel, table=True):
    """What happened, as it came: of a line, or (``line_id`` null) of something with a name of its own.

    ``members`` holds member ids; ``amounts`` null where nothing is known.
    """

    __tablename__ = "history"
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    position: int
    line_id: int | None = Field(default=None, foreign_key="line.id")
    schedule_id: int | None = Field(default=None, foreign_key="schedule.id")
    part: str | None = None
    members: list[int] = _document()
    start: str
    per_year: int
    label: str
    unit: str
    amounts: list[float | None] = _document()
    doubled: dict[str, list[float]] = _mapping()
    steps: list[dict[str, Any]] = _list()
    forecasts: list[dict[str, Any]] = _list()
    note: str


class BooksRow(SQLModel, table=True):
    """One person's books of a month on their way into the model: what was pasted, and how it is read. Not logged."""

    __tablename__ = "books"
    __table_args__ = (UniqueConstraint("model_id", "person"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    person: str
    month: str
    document: dict[str, Any] = _mapping()


class IncomingRow(SQLModel, table=True):
    """One person's table of history on its way into the model: its cells, and where they go. Not logged."""

    __tablename__ = "incoming"
    __table_args__ = (UniqueConstraint("model_id", "person"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    person: str
    document: dict[str, Any] = _mapping()


class AccountRow(SQLModel, table=True):
    """What an account of the books was last matched with: a target's key, or nothing for one left out."""

    __tablename__ = "account"
    __table_args__ = (UniqueConstraint("model_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    name: str
    target: str
    member: str = ""


class SketchRow(SQLModel, table=True):
    """One person's scratch layer over one case.

    ``steps`` and ``undone`` are lists of {sentence, changes}, each change as its row's columns. No log holds them.
    """

    __tablename__ = "sketch"
    __table_args__ = (UniqueConstraint("model_id", "person"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    case_id: int = Field(foreign_key="case.id", ondelete="CASCADE")
    person: str
    steps: list[dict[str, Any]] = _document()
    undone: list[dict[str, Any]] = _document()


class AskedRow(SQLModel, table=True):
    """A question asked on Work back: the query of its address, in words, and what it was answered. No log holds it."""

    __tablename__ = "asked"
    __table_args__ = (UniqueConstraint("model_id", "query"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    person: str
    made_at: str
    revision: int
    query: str
    sentence: str
    answer: str


class SavedViewRow(SQLModel, table=True):
    """A view of a page kept under a name: the query of its address."""

    __tablename__ = "saved_view"
    __table_args__ = (UniqueConstraint("model_id", "page", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    page: str
    name: str
    query: str


class SealRow(SQLModel, table=True):
    """A locked, dated copy of a model in the open text format. A trigger refuses every change of it."""

    __tablename__ = "seal"
    __table_args__ = (UniqueConstraint("model_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    name: str
    note: str
    person: str
    sealed_at: str
    revision: int
    document: str


class NoteRow(SQLModel, table=True):
    """A note to somebody, written with an edit; it waits here, since nothing is sent.

    ``revision`` is that of the edit.
    """

    __tablename__ = "note"
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    recipient: str
    text: str
    revision: int


class EditRow(SQLModel, table=True):
    """One gesture in the log, never changed afterwards.

    ``subject`` says what was edited (case, target, member; one a line), for conflicts. ``undoes`` and ``redoes``
    point at the edit this one takes back or puts back.
    """

    __tablename__ = "edit"
    __table_args__ = (UniqueConstraint("model_id", "revision"),)
    id: int | None = Field(default=None, primary_key=True)
    model_id: int = Field(foreign_key="model.id", index=True, ondelete="CASCADE")
    revision: int
    person: str
    made_at: str
    subject: str
    sentence: str
    undoes: int | None = Field(default=None, foreign_key="edit.id")
    redoes: int | None = Field(default=None, foreign_key="edit.id")


class EditItemRow(SQLModel, table=True):
    """What one edit did to one row: its document before and after; null where it did not exist."""

    __tablename__ = "edit_item"
    id: int | None = Field(default=None, primary_key=True)
    edit_id: int = Field(foreign_key="edit.id", index=True, ondelete="CASCADE")
    entity: str
    entity_id: int
    before: dict[str, Any] | None = Field(default=None, sa_column=Column(JSON(none_as_null=True)))
    after: dict[str, Any] | None = Field(default=None, sa_column=Column(JSON(none_as_null=True)))


ENTITIES: dict[str, type[SQLModel]] = {
    row.__tablename__: row
    for row in (
        ModelRow,
        DimensionRow,
        MemberRow,
        SectionRow,
        ProfileRow,
        FlagRow,
        LineRow,
        ScheduleRow,
        CaseRow,
        MoveRow,
        SwitchRow,
        ChangeRow,
        FigureRow,
        LimitRow,
        ClosingRow,
        HistoryRow,
        NoteRow,
    )
}
"""What an edit may touch."""

for _table in SQLModel.metadata.tables.values():
    _table.dialect_options["sqlite"]["autoincrement"] = True  # an id is never used again
