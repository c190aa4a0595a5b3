"""Moves as stored: what they say of themselves, what excludes what, and sketches that switch them."""

import pytest

from widefork.core.axes import Month
from widefork.core.changes import Aim, Case, Change, Operation, Status, Switch
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.finance.assemble import build_plan
from widefork.store import edits
from widefork.store.sketches import Sketches, SketchRefused

APR27 = Month(2027, 4)


@pytest.fixture
def edit(store):
    def make(apply, person="Ines"):
        store.edit(1, person, store.revision(1), apply)
        return store.load(1).model

    return make


def on(model, case):
    return [layer.move for layer in model.layers_of(case) if layer.move]


def cash(model, case):
    plan = build_plan(model)
    return evaluate(plan, [plan.model.changes_of(case)], ["cash"]).series("cash").tolist()


def test_a_move_says_who_how_far_and_what_for_and_takes_it_back(store, edit):
    before = store.load(1).model
    model = edit(edits.change_move("price_rise", "said", label="Dearer", note="n", owner="Okan",
                                   status=Status.DONE.value, one_of="Prices"))  # fmt: skip
    move = model.move_by_name["price_rise"]
    assert (move.label, move.note, move.owner, move.status, move.group) == (
        "Dearer",
        "n",
        "Okan",
        Status.DONE,
        "Prices",
    )
    model = edit(edits.set_aims("price_rise", (Aim("lowest_cash", 5.0), Aim("ebitda_2027", 7.0)), "aims"))
    assert model.move_by_name["price_rise"].aims == (Aim("lowest_cash", 5.0), Aim("ebitda_2027", 7.0))
    model = edit(edits.remove_figure("lowest_cash", "gone"))
    assert model.move_by_name["price_rise"].aims == (Aim("ebitda_2027", 7.0),)
    with pytest.raises(UnknownName, match="lowest_cash"):
        edit(edits.set_aims("price_rise", (Aim("lowest_cash", 5.0),), "aims"))
    with pytest.raises(InvalidModel, match="already a move called Hiring freeze"):
        edit(edits.change_move("price_rise", "said", label="hiring  freeze"))
    for _ in range(3):
        store.undo(1, "Ines")
    assert store.load(1).model == before


def test_another_start_shifts_what_it_does(edit):
    model = edit(edits.change_move("supplier_instalments", "later", start="2027-02"))
    [change] = model.move_by_name["supplier_instalments"].changes
    assert (change.first, change.last) == (Month(2027, 2), Month(2027, 11))
    assert model.move_by_name["supplier_instalments"].start == Month(2027, 2)


def test_changes_of_a_move_are_written_anew_and_a_move_is_ordered(store, edit):
    before = store.load(1).model
    more = (Change("rent", Operation.ADD, 100.0, first=APR27), Change("rent", Operation.SCALE, 0.9))
    model = edit(edits.set_changes("hiring_freeze", more, "other"))
    assert model.move_by_name["hiring_freeze"].changes == more
    model = edit(edits.set_changes("hiring_freeze", more[1:], "fewer"))
    assert model.move_by_name["hiring_freeze"].changes == more[1:]
    names = [move.name for move in model.moves]
    model = edit(edits.move_move("hiring_freeze", -1, "up"))
    assert [move.name for move in model.moves][:2] == [names[1], names[0]]
    for _ in range(3):
        store.undo(1, "Ines")
    assert store.load(1).model == before


def test_a_move_that_is_removed_is_off_everywhere_and_comes_back_whole(store, edit):
    edit(edits.take_out("worst_met", [store.load(1).model.layers_of("worst_met")[7]], "dropped"))
    before = store.load(1).model
    assert before.case("worst_met").drops == ("municipal_late", "hiring_freeze")
    model = edit(edits.remove_move("hiring_freeze", "removed"))
    assert "hiring_freeze" not in model.move_by_name
    assert model.case("worst_met").drops == ("municipal_late",)
    assert all("hiring_freeze" not in on(model, case.name) for case in model.cases)
    store.undo(1, "Ines")
    assert store.load(1).model == before


def test_one_of_a_group_takes_the_place_of_the_one_on(store, edit):
    model = edit(edits.switch_on("worst", "fewer_samplers", "on"))
    assert "fewer_samplers" in on(model, "worst")
    assert "fewer_samplers" not in on(model, "worst_met")  # crews are shared there
    model = edit(edits.switch_on("worst_met", "fewer_samplers", "on"))
    assert on(model, "worst_met").count("fewer_samplers") == 1
    assert "shared_crews" not in on(model, "worst_met")
    assert all(s.move != "fewer_samplers" for s in model.case("worst_met").switches)  # inherited again
    model = edit(edits.switch_on("worst_met", "far_fewer_samplers", "on"))
    assert on(model, "worst_met")[-1] == "far_fewer_samplers"
    with pytest.raises(InvalidModel, match="on already"):
        edit(edits.switch_on("worst_met", "far_fewer_samplers", "on"))
    model = edit(edits.switch_off("worst_met", "far_fewer_samplers", "off"))
    assert "fewer_samplers" in on(model, "worst_met")
    two = Case("two", "Two", "base", (Switch("fewer_samplers"), Switch("shared_crews")))
    with pytest.raises(InvalidModel, match="only one can be on"):
        edit(edits.add_case(two, "fork"))


def test_a_switch_is_set_whether_it_is_on_or_not(edit):
    model = edit(edits.set_switch("worst_met", Switch("hiring_freeze", APR27, 0.5), "later"))
    assert model.case("worst_met").steps[-1] == Switch("hiring_freeze", APR27, 0.5)
    assert len(on(model, "worst_met")) == len(set(on(model, "worst_met")))
    model = edit(edits.set_switch("worst_met", Switch("hiring_freeze", None, 1.2), "stronger"))
    assert [s for s in model.case("worst_met").steps if s == Switch("hiring_freeze", None, 1.2)]


@pytest.mark.parametrize("case", ["base", "best", "worst_met"])
def test_a_sketch_switches_moves_and_kept_is_what_it_showed(store, edit, case):
    sketches = Sketches(store)
    sketches.start(1, "Ines", case)
    dearer = Change("kit_price", Operation.SCALE, 1.1, first=Month(2027, 1))
    sketches.add(1, "Ines", [dearer], "one", [Switch("price_rise", APR27), Switch("flu_wave")])
    sketches.add(1, "Ines", [], "two", [Switch("two_waves", None, 0.5)])
    state = sketches.of(1, "Ines")
    assert set(state.switches) == {Switch("price_rise", APR27), Switch("two_waves", None, 0.5)}
    model = store.load(1).model
    shown = [layer.step for layer in model.family.with_case(state.layer.kept_in_case(model.case(case))).layers_of(case)]
    with pytest.raises(SketchRefused, match="a move is made of changes"):
        edit(sketches.keep_as_move("Ines", "new", "New", "kept"))
    forked = edit(sketches.keep_as_fork("Ines", "tried", "Tried", "kept"))
    assert [layer.step for layer in forked.layers_of("tried")] == shown
    store.undo(1, "Ines")
    sketches.start(1, "Ines", case)
    sketches.add(1, "Ines", [], "again", [Switch("price_rise", APR27), Switch("two_waves", None, 0.5)])
    kept = edit(sketches.keep_in_case("Ines", "kept"))
    assert [layer.step for layer in kept.layers_of(case)] == [step for step in shown if step != dearer]
    assert sketches.of(1, "Ines") is None


def test_a_move_that_has_gone_is_lost_to_a_sketch_and_said(store, edit):
    sketches = Sketches(store)
    sketches.start(1, "Ines", "best")
    sketches.add(1, "Ines", [], "one", [Switch("flu_wave")])
    edit(edits.remove_move("flu_wave", "removed"), "Okan")
    state = sketches.of(1, "Ines").upon(store.load(1).model)
    assert state.is_empty
    assert state.lost == 1
