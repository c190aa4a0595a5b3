"""Two people, two processes: who edits other cells is never in the way, and nothing waits for a computation."""

import sqlite3
import threading

import pytest

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidModel
from widefork.store import edits
from widefork.store.database import connect
from widefork.store.errors import EditConflict, StoreUnavailable, UndoRefused
from widefork.store.model_store import ModelStore

MAR, APR, JUN = Month(2027, 3), Month(2027, 4), Month(2027, 6)


def setting(amount, first=MAR, last=None, member="Coast", case="base", line="kit_price"):
    members = (("region", member),) if member else ()
    return edits.change_months(case, Change(line, Operation.SET, amount, members, first, last), f"{line} {amount}")


def price(store, month, member="Coast"):
    model = store.load(1).model
    return model.line("kit_price").rules[(member,)].values(model.timeline)[model.timeline.index(month)]


def path_of(store):
    return store.engine.url.database


@pytest.mark.parametrize(
    ("mine", "theirs", "meets"),
    [
        ({"last": MAR}, {"first": APR, "last": JUN}, False),
        ({"last": APR}, {"first": APR}, True),
        ({}, {"first": JUN}, True),
        ({}, {"member": "Valley"}, False),
        ({}, {"member": ""}, True),
        ({}, {"case": "best"}, False),
        ({}, {"line": "loggers_price", "member": ""}, False),
        ({"case": "worst", "last": MAR}, {"case": "worst", "first": APR, "last": APR}, False),
    ],
)
def test_edits_meet_only_in_the_same_cells(store, mine, theirs, meets):
    store.edit(1, "Okan", 0, setting(60.0, **theirs))
    if meets:
        with pytest.raises(EditConflict, match="Okan changed this meanwhile"):
            store.edit(1, "Ines", 0, setting(55.0, **mine))
        assert store.revision(1) == 1
    assert store.edit(1, "Ines", 0, setting(55.0, **mine), despite_conflict=meets) == 2


def test_a_rule_is_about_all_its_months_but_of_its_members_alone(store):
    rule = store.load(1).model.line("kit_price").rules[("Valley",)]
    store.edit(1, "Okan", 0, setting(60.0, JUN, JUN))
    store.edit(1, "Ines", 0, edits.set_rule("kit_price", ("Valley",), rule, "Valley's rule"))
    with pytest.raises(EditConflict):
        store.edit(1, "Ines", 0, edits.set_rule("kit_price", ("Coast",), rule, "Coast's rule"))


def test_nobody_is_in_conflict_with_their_own_edits(store):
    store.edit(1, "Ines", 0, setting(60.0))
    assert store.edit(1, "Ines", 0, setting(55.0)) == 2
    store.undo(1, "Ines")
    assert store.edit(1, "Ines", 1, setting(56.0)) == 4
    assert price(store, MAR) == 56


def test_undo_takes_back_ones_own_cells_and_leaves_others_alone(store):
    there = price(store, MAR), price(store, MAR, "Valley")
    store.edit(1, "Ines", 0, setting(60.0, MAR, MAR))
    store.edit(1, "Okan", 1, setting(70.0, JUN, JUN))
    store.edit(1, "Okan", 2, setting(44.0, MAR, MAR, "Valley"))
    store.undo(1, "Ines")
    assert (price(store, MAR), price(store, JUN), price(store, MAR, "Valley")) == (there[0], 70, 44)
    store.redo(1, "Ines")
    assert (price(store, MAR), price(store, JUN)) == (60, 70)
    store.edit(1, "Okan", 5, setting(61.0, MAR, MAR))
    with pytest.raises(UndoRefused, match="changed since"):
        store.undo(1, "Ines")
    assert price(store, MAR) == 61


def test_undo_of_actual_months_leaves_other_months_alone(store):
    january, february = Month(2026, 1), Month(2026, 2)
    before = store.load(1).model.line("kits_returned").actuals
    store.edit(1, "Ines", 0, edits.set_actuals("kits_returned", (), {january: 5.0}, "January"))
    store.edit(1, "Okan", 1, edits.set_actuals("kits_returned", (), {february: 7.0}, "February"))
    store.undo(1, "Ines")
    now = store.load(1).model.line("kits_returned").actuals[()]
    assert now[1] == 7
    assert not before or now[0] == before[()][0] or now[0] != now[0]


def test_another_process_is_noticed_and_the_edit_made_anew_on_what_it_left(store):
    store.load(1)
    other = ModelStore(connect(path_of(store)))
    other.edit(1, "Okan", 0, setting(60.0, JUN, JUN))
    other.edit(1, "Okan", 1, edits.add_flag(store.load(1).model.flags[0].__class__("busy", "Busy"), "a flag"))
    store.edit(1, "Ines", 0, setting(52.0, MAR, MAR))
    assert (price(store, MAR), price(store, JUN)) == (52, 60)
    assert other.load(1) == store.load(1)
    assert [entry.person for entry in store.log(1)] == ["Ines", "Okan", "Okan"]


def test_while_a_model_is_computed_the_database_is_free_and_other_models_are_edited(store, demo_model, monkeypatch):
    second = store.create(demo_model)
    computing, go_on = threading.Event(), threading.Event()

    def slow(edit):
        computing.set()
        assert go_on.wait(20)
        setting(52.0)(edit)

    worker = threading.Thread(target=store.edit, args=(1, "Ines", 0, slow))
    worker.start()
    try:
        assert computing.wait(20)
        assert store.edit(second, "Okan", 0, setting(60.0)) == 1
        with sqlite3.connect(path_of(store), timeout=0.1) as stranger:
            stranger.execute("BEGIN IMMEDIATE")
            stranger.rollback()
        assert store.load(1).revision == 0
    finally:
        go_on.set()
        worker.join(20)
    assert store.load(1).revision == 1


def test_a_file_held_by_another_program_is_said_and_nothing_is_lost(store, monkeypatch):
    monkeypatch.setattr("widefork.store.writing.PAUSES", (0.01,))
    with store.engine.connect() as connection:
        connection.exec_driver_sql("PRAGMA busy_timeout=50")
    before = store.load(1)
    stranger = sqlite3.connect(path_of(store), isolation_level=None)
    stranger.execute("BEGIN IMMEDIATE")
    try:
        with pytest.raises(StoreUnavailable, match="Another program holds the data file"):
            store.edit(1, "Ines", 0, setting(52.0))
    finally:
        stranger.rollback()
    assert store.load(1) == before
    assert store.edit(1, "Ines", 0, setting(52.0)) == 1
    assert ModelStore(connect(path_of(store))).load(1) == store.load(1)


def test_an_edit_that_fails_leaves_memory_as_the_database_is(store):
    before = store.load(1)

    def half(edit):
        setting(52.0)(edit)
        edits.add_flag(before.model.flags[0], "taken")(edit)

    with pytest.raises(InvalidModel):
        store.edit(1, "Ines", 0, half)
    assert store.load(1) == before
    store.edit(1, "Ines", 0, setting(53.0))
    assert ModelStore(connect(path_of(store))).load(1) == store.load(1)
