"""The database: its migrations make what the tables say, and edits from several threads all arrive."""

from concurrent.futures import ThreadPoolExecutor

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session, SQLModel

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.store import edits, tables
from widefork.store.database import open_database
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
