"""The database: its migrations make what the tables say, and edits from several threads all arrive."""

import json
import sqlite3
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from pathlib import Path

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session, SQLModel

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation, Switch
from widefork.core.engine import evaluate
from widefork.core.graph.plan import compile_model
from widefork.store import edits, tables
from widefork.store.database import _config, back_up, bring_together, connect, open_database, restore
from widefork.store.errors import StoreUnavailable
from widefork.store.model_store import ModelStore

SEPTEMBER = Month(2026, 9)


def test_the_migrations_make_exactly_the_tables(tmp_path):
    engine = open_database(tmp_path / "new.db")
    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), SQLModel.metadata) == []


def test_opening_again_keeps_what_is_there_and_the_settings_hold(tmp_path, demo_model):
    path = tmp_path / "kept.db"
    ModelStore(open_database(path)).create(demo_model)
    engine = open_database(path)
    assert len(ModelStore(engine).shelf.models()) == 1
    with engine.connect() as connection:
        pragmas = {
            name: connection.exec_driver_sql(f"PRAGMA {name}").scalar()
            for name in ("journal_mode", "foreign_keys", "synchronous")
        }
    assert pragmas == {"journal_mode": "wal", "foreign_keys": 1, "synchronous": 2}


def test_the_file_and_its_folder_are_for_their_owner_alone(tmp_path):
    open_database(tmp_path / "own" / "models.db").dispose()
    assert (tmp_path / "own").stat().st_mode & 0o777 == 0o700
    assert (tmp_path / "own" / "models.db").stat().st_mode & 0o777 == 0o600


def test_a_file_that_cannot_be_opened_is_said_in_a_sentence(tmp_path, store):
    (tmp_path / "file").write_text("not a folder")
    with pytest.raises(StoreUnavailable, match=r"cannot be made: .*Choose another folder"):
        open_database(tmp_path / "file" / "models.db")
    (tmp_path / "text.db").write_text("no database at all, but long enough to be taken for one" * 40)
    with pytest.raises(StoreUnavailable, match="is no database, or is damaged"):
        open_database(tmp_path / "text.db")
    with closing(sqlite3.connect(store.engine.url.database)) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
        connection.commit()
    with pytest.raises(StoreUnavailable, match="made by a newer version"):
        open_database(Path(store.engine.url.database))


def test_a_backup_taken_while_it_is_open_is_whole_and_is_put_back(tmp_path, store):
    path, kept = Path(store.engine.url.database), tmp_path / "kept.db"
    store.edit(1, "Ines", 0, edits.change_model("renamed", name="Before"))
    back_up(path, kept)
    store.edit(1, "Ines", 1, edits.change_model("renamed", name="After"))
    assert ModelStore(connect(kept)).load(1).model.name == "Before"
    store.engine.dispose()
    restore(kept, path)
    again = ModelStore(open_database(path))
    assert again.load(1).model.name == "Before"
    assert [entry.sentence for entry in again.log(1)] == ["renamed"]
    with pytest.raises(StoreUnavailable, match="There is no database"):
        back_up(tmp_path / "nothing.db", tmp_path / "copy.db")
    (tmp_path / "text.db").write_text("no database" * 200)
    with pytest.raises(StoreUnavailable, match="holds no models of this application"):
        restore(tmp_path / "text.db", path)
    assert ModelStore(open_database(path)).load(1).model.name == "Before"


def test_the_main_file_alone_holds_everything_once_brought_together(tmp_path, store):
    store.edit(1, "Ines", 0, edits.change_model("renamed", name="Whole"))
    path = Path(store.engine.url.database)
    bring_together(store.engine)
    (tmp_path / "alone").mkdir()
    alone = tmp_path / "alone" / "copy.db"
    alone.write_bytes(path.read_bytes())
    assert ModelStore(connect(alone)).load(1).model.name == "Whole"


@pytest.mark.parametrize("target", [{}, {"line_id": 1, "part": "cash"}, {"schedule_id": 1}])
def test_a_change_points_at_exactly_one_thing(store, target):
    row = tables.ChangeRow(
        case_id=1, position=99, operation="set", amount=1, members=[], first=None, last=None, note="", **target
    )
    with Session(store.engine.execution_options(writes=True)) as session:
        session.add(row)
        with pytest.raises(IntegrityError, match="one_target"):
            session.commit()


def test_people_editing_at_once_never_lose_each_others_work(store):
    lines = [
        "rent",
        "software",
        "kits_returned",
        "card_fee",
        "hours_per_kit",
        "hours_per_panel",
        "hours_per_check",
        "loggers_price",
    ]

    def edit(line):
        change = Change(line, Operation.SET, 7.0, (), SEPTEMBER, SEPTEMBER)
        return store.edit(1, f"person of {line}", 0, edits.change_months("base", change, line))

    with ThreadPoolExecutor(8) as pool:
        revisions = sorted(pool.map(edit, lines))
    assert revisions == list(range(1, len(lines) + 1))
    stored = store.load(1).model
    place = stored.timeline.index(SEPTEMBER)
    assert [stored.line(line).rules[()].values(stored.timeline)[place] for line in lines] == [7.0] * len(lines)
    assert {entry.sentence for entry in store.log(1)} == set(lines)


def test_moves_switched_on_before_cases_had_steps_come_over_and_can_be_undone(tmp_path, demo_model):
    """A file as it was: moves in a list of the case's own row, a move kept from a sketch in the log."""
    path = tmp_path / "older.db"
    command.upgrade(_config(path), "0009")
    on = {"move": 1, "start": None, "strength": 0.5}
    rows = {
        "model": {"id": 1, "name": "Older", "currency": "EUR", "start": "2026-01", "month_count": 6,
                  "fiscal_year_start": 1, "opening_balances": "{}", "revision": 1},
        "section": {"id": 1, "model_id": 1, "position": 0, "name": "s", "label": "S", "note": ""},
        "line": {"id": 1, "model_id": 1, "section_id": 1, "position": 0, "name": "x", "label": "X", "unit": "",
                 "dimensions": "[]", "rules": '[{"members": [], "rule": 10}]',
                 "rollup": '{"time": "sum", "members": "sum", "numerator": "", "denominator": ""}', "opening": 0,
                 "history": "[]", "actuals": "[]", "posts_to": "", "note": "", "allow_loop": 0, "is_fixed": 0},
        "move": {"id": 1, "model_id": 1, "position": 0, "name": "push", "label": "Push", "start": "2026-02",
                 "note": ""},
    }  # fmt: skip
    case = {"model_id": 1, "label": "C", "note": ""}
    cases = [
        {**case, "id": 1, "position": 0, "name": "base", "moves": json.dumps([on]), "drops": "[]"},
        {**case, "id": 2, "position": 1, "name": "off", "moves": "[]", "drops": "[1]", "parent_id": 1},
    ]
    change = {"position": 0, "line_id": 1, "members": "[]", "note": "", "strength": 1, "catch_up_months": 0}
    changes = [
        {**change, "id": 1, "case_id": 1, "operation": "set", "amount": 8},
        {**change, "id": 2, "move_id": 1, "operation": "scale", "amount": 2, "first": "2026-02"},
    ]
    logged = {key: value for key, value in {**cases[0], "parent_id": None}.items() if key not in ("moves", "drops")}
    before, after = (json.dumps({**logged, "moves": moves, "drops": []}) for moves in ([], [on]))
    with closing(sqlite3.connect(path)) as connection:
        for table, row in [*rows.items(), *(("case", row) for row in cases), *(("change", row) for row in changes)]:
            _insert(connection, table, row)
        _insert(connection, "edit", {"id": 1, "model_id": 1, "revision": 1, "person": "Ines", "made_at": "2026-01-01",
                                     "subject": "move:push", "sentence": "on"})  # fmt: skip
        _insert(connection, "edit_item", {"edit_id": 1, "entity": "case", "entity_id": 1, "before": before,
                                          "after": after})  # fmt: skip
        connection.commit()
    store = ModelStore(open_database(path))
    model = store.load(1).model
    assert [type(step) for step in model.case("base").steps] == [Change, Switch]
    assert series_in(model, "base") == [8, 12, 12, 12, 12, 12]
    assert series_in(model, "off") == [8] * 6
    store.undo(1, "Ines")
    assert store.load(1).model.case("base").switches == ()
    store.edit(1, "Ines", store.revision(1), edits.switch_on("base", "push", "on"))
    assert series_in(store.load(1).model, "base") == [8, 16, 16, 16, 16, 16]
    store.engine.dispose()
    command.downgrade(_config(path), "0009")
    with closing(sqlite3.connect(path)) as connection:
        [(moves,)] = connection.execute('SELECT moves FROM "case" WHERE id = 1').fetchall()
    assert json.loads(moves) == [{"move": 1, "start": None, "strength": 1.0}]


def _insert(connection, table, row):
    marks = ", ".join("?" for _ in row)
    connection.execute(f'INSERT INTO "{table}" ({", ".join(row)}) VALUES ({marks})', list(row.values()))


def series_in(model, case):
    plan = compile_model(model)
    return evaluate(plan, [plan.model.changes_of(case)]).series("x").tolist()
