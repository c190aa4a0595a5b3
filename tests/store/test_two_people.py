"""Two people, two processes: who edits other cells is never in the way, and nothing waits for a computation."""

import sqlite3
import threading

import pytest

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidModel
from widefork.core.flags import Flag
from widefork.store import edits
from widefork.store.database import connect
from widefork.store.errors import EditConflict, StoreUnavailable, UndoRefused
from widefork.store.model_store import ModelStore
from widefork.store.saving import rows_of

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
    other.edit(1, "Okan", 1, edits.add_flag(Flag("busy", "Busy"), "a flag"))
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


@pytest.fixture
def other(store):
    """Another process on the same file."""
    return ModelStore(connect(path_of(store)))


def flag(name):
    return edits.add_flag(Flag(name, name.title()), name)


def test_an_edit_overtaken_by_another_process_is_made_anew(store, other):
    calls = []

    def change(edit):
        calls.append(1)
        if len(calls) == 1:
            other.edit(1, "Okan", 0, setting(60.0, JUN, JUN))
        setting(52.0, MAR, MAR)(edit)

    assert store.edit(1, "Ines", 0, change) == 2
    assert len(calls) == 2
    assert (price(store, MAR), price(store, JUN)) == (52, 60)
    assert other.load(1) == store.load(1)


def test_an_id_that_another_process_took_is_noticed(store, other, demo_model):
    second = store.create(demo_model)
    other.load(second)
    calls = []

    def change(edit):
        calls.append(1)
        flag("mine")(edit)
        if len(calls) == 1:
            other.edit(second, "Okan", 0, flag("theirs"))

    assert store.edit(1, "Ines", 0, change) == 1
    assert len(calls) == 2
    assert "mine" in store.load(1).model.flag_names
    assert "theirs" in store.load(second).model.flag_names


def test_who_is_overtaken_again_and_again_is_told_and_nothing_is_left(store, other):
    def change(edit):
        other.edit(1, "Okan", other.revision(1), setting(40.0 + other.revision(1), JUN, JUN))
        setting(52.0, MAR, MAR)(edit)

    with pytest.raises(StoreUnavailable, match="Too many others"):
        store.edit(1, "Ines", 0, change)
    assert store.load(1) == other.load(1)
    assert {entry.person for entry in store.log(1)} == {"Okan"}


def test_two_processes_may_begin_models_at_once(store, other, demo_model, monkeypatch):
    calls, began = [], []

    def slow(model, ids):
        calls.append(1)
        rows = rows_of(model, ids)
        if len(calls) == 1:
            began.append(other.create(demo_model))
        return rows

    monkeypatch.setattr("widefork.store.model_store.rows_of", slow)
    made = store.create(demo_model)
    assert made != began[0]
    assert store.load(made).model == store.load(began[0]).model == demo_model


def test_a_model_that_is_no_longer_open_is_read_again(store, demo_model, monkeypatch):
    monkeypatch.setattr("widefork.store.model_store.MODELS_OPEN", 1)
    second = store.create(demo_model)
    store.edit(1, "Ines", 0, setting(52.0))
    store.edit(second, "Ines", 0, setting(53.0))
    assert price(store, MAR) == 52
    assert store.undo(1, "Ines") == "kit_price 52.0"
    assert store.can_undo(second, "Ines") == ("kit_price 53.0", None)
    assert store.latest(second).sentence == "kit_price 53.0"


def test_undo_of_a_new_row_somebody_worked_on_since_is_refused(store):
    store.edit(1, "Ines", 0, flag("season"))
    store.edit(1, "Okan", 1, edits.change_flag(Flag("season", "The season"), "renamed"))
    with pytest.raises(UndoRefused, match="changed since"):
        store.undo(1, "Ines")
    store.undo(1, "Okan")
    store.undo(1, "Ines")
    store.redo(1, "Ines")
    with pytest.raises(UndoRefused, match="nothing to put back"):
        store.redo(1, "Ines")


def test_undo_of_one_setting_leaves_the_schedules_other_settings_alone(store):
    store.edit(1, "Ines", 0, edits.change_schedule("term_loan", "rate", settings={"rate": 0.07}))
    store.edit(1, "Okan", 1, edits.change_schedule("term_loan", "longer", settings={"interest_only_months": 3}))
    before = store.load(1).model
    store.undo(1, "Ines")
    (loan,) = (one for one in store.load(1).model.schedules if one.name == "term_loan")
    (was,) = (one for one in before.schedules if one.name == "term_loan")
    assert loan.settings.get("rate") != 0.07
    assert {k: v for k, v in loan.settings.items() if k != "rate"} == {
        k: v for k, v in was.settings.items() if k != "rate"
    }
