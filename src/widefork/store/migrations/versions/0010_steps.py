"""A case is one list of steps: moves switched on get rows of their own, in one order with its changes.

The order so far was changes, then moves, and stays so; results do not change.
"""

import json
from collections.abc import Iterator
from typing import Any

import sqlalchemy as sa
import sqlmodel
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

Switches = dict[tuple[int, int], tuple[int, int]]
"""Id and position of the row of a move switched on, by case and move."""


def upgrade() -> None:
    text = sqlmodel.sql.sqltypes.AutoString()
    op.create_table(
        "switch",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=False),
        sa.Column("move_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("start", text, nullable=True),
        sa.Column("strength", sa.Float(), nullable=False),
        sa.ForeignKeyConstraint(["case_id"], ["case.id"], name=op.f("fk_switch_case_id_case"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["move_id"], ["move.id"], name=op.f("fk_switch_move_id_move"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_switch")),
        sqlite_autoincrement=True,
    )
    op.create_index(op.f("ix_switch_case_id"), "switch", ["case_id"], unique=False)
    op.create_index(op.f("ix_switch_move_id"), "switch", ["move_id"], unique=False)
    op.add_column("change", sa.Column("course", sa.JSON(), nullable=False, server_default="{}"))
    bind = op.get_bind()
    # A plain mean was what a price, share or rate was given unasked; it now has no total unless one says what weighs it.
    bind.execute(
        sa.text("UPDATE line SET rollup = :now WHERE json_extract(rollup, '$.time') = 'mean'"
                " AND json_extract(rollup, '$.members') = 'mean'"),
        {"now": json.dumps({"time": "none", "members": "none", "numerator": "", "denominator": ""})},
    )  # fmt: skip
    switches = _bring_over(bind)
    _bring_log_over(bind, switches)
    op.drop_column("case", "moves")


def _bring_over(bind: sa.Connection) -> Switches:
    found: Switches = {}
    dropped: list[tuple[int, int | None, list[Any]]] = []
    for case_id, parent, moves, drops in bind.execute(sa.text('SELECT id, parent_id, moves, drops FROM "case"')).all():
        dropped.append((case_id, parent, json.loads(drops)))
        last = bind.execute(sa.text("SELECT max(position) FROM change WHERE case_id = :id"), {"id": case_id}).scalar()
        begin = -1 if last is None else int(last)
        for place, entry in enumerate(json.loads(moves), begin + 1):
            found[case_id, entry["move"]] = len(found) + 1, place
            row = {"id": len(found), "case": case_id, "move": entry["move"], "position": place,
                   "start": entry["start"], "strength": entry["strength"]}  # fmt: skip
            bind.execute(
                sa.text(
                    "INSERT INTO switch (id, case_id, move_id, position, start, strength)"
                    " VALUES (:id, :case, :move, :position, :start, :strength)"
                ),
                row,
            )
    parents = {case_id: parent for case_id, parent, _ in dropped}
    for case_id, _, drops in dropped:
        known = json.dumps(list(_drops_by_step(drops, case_id, parents, found)))
        bind.execute(sa.text('UPDATE "case" SET drops = :drops WHERE id = :id'), {"drops": known, "id": case_id})
    return found


def _drops_by_step(
    drops: list[Any], case_id: int, parents: dict[int, int | None], switches: Switches
) -> Iterator[dict[str, int]]:
    """A move was dropped by its id, whoever switched it on; now it is the step that is dropped."""
    for drop in drops:
        above = parents.get(case_id)
        while above is not None and not isinstance(drop, dict):
            if (above, drop) in switches:
                yield {"switch": switches[above, drop][0]}
            above = parents.get(above)
        if isinstance(drop, dict):
            yield drop


def _bring_log_over(bind: sa.Connection, switches: Switches) -> None:
    """What an edit did to a case's list of moves becomes what it did to rows, so that it can still be undone."""
    items = bind.execute(sa.text("SELECT id, edit_id, before, after FROM edit_item WHERE entity = 'case' ORDER BY id"))
    for item, edit, before, after in items.all():
        documents = [None if text is None else json.loads(text) for text in (before, after)]
        listed = [{entry["move"]: entry for entry in (known or {}).pop("moves", ())} for known in documents]
        for document in documents:
            if document is not None:
                document["drops"] = [drop for drop in document["drops"] if isinstance(drop, dict)]
        bind.execute(
            sa.text("UPDATE edit_item SET before = :before, after = :after WHERE id = :id"),
            {"id": item, "before": _text(documents[0]), "after": _text(documents[1])},
        )
        case_id = next(document["id"] for document in documents if document is not None)
        for move in {**listed[0], **listed[1]}:
            rows = [_document(known.get(move), case_id, switches) for known in listed]
            if rows[0] != rows[1]:
                row_id = next(row["id"] for row in rows if row is not None)
                bind.execute(
                    sa.text(
                        "INSERT INTO edit_item (edit_id, entity, entity_id, before, after)"
                        " VALUES (:edit, 'switch', :row, :before, :after)"
                    ),
                    {"edit": edit, "row": row_id, "before": _text(rows[0]), "after": _text(rows[1])},
                )

    latest = max((row_id for row_id, _ in switches.values()), default=0)
    bind.execute(sa.text("DELETE FROM sqlite_sequence WHERE name = 'switch'"))
    bind.execute(sa.text("INSERT INTO sqlite_sequence VALUES ('switch', :latest)"), {"latest": latest})


def _document(entry: dict[str, Any] | None, case_id: int, switches: Switches) -> dict[str, Any] | None:
    if entry is None:
        return None
    latest = max((row_id for row_id, _ in switches.values()), default=0)
    row_id, position = switches.setdefault((case_id, entry["move"]), (latest + 1, 0))
    known = {"position": position, "start": entry["start"], "strength": entry["strength"]}
    return {"id": row_id, "case_id": case_id, "move_id": entry["move"], **known}


def _text(document: dict[str, Any] | None) -> str | None:
    return None if document is None else json.dumps(document)


def downgrade() -> None:
    op.add_column("case", sa.Column("moves", sa.JSON(), nullable=False, server_default="[]"))
    bind = op.get_bind()
    kept: dict[int, list[dict[str, Any]]] = {}
    rows = bind.execute(sa.text("SELECT case_id, move_id, start, strength FROM switch ORDER BY position")).all()
    for case_id, move, start, strength in rows:
        kept.setdefault(case_id, []).append({"move": move, "start": start, "strength": strength})
    for case_id, moves in kept.items():
        bind.execute(
            sa.text('UPDATE "case" SET moves = :moves WHERE id = :id'), {"moves": json.dumps(moves), "id": case_id}
        )
    op.drop_column("change", "course")
    op.drop_table("switch")
