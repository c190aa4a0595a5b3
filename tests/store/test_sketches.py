"""A sketch touches nobody else until it is kept: in its case, as a fork, or as a move."""

from dataclasses import replace

import pytest

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.finance.assemble import build_plan
from widefork.store import edits
from widefork.store.sketches import Sketches, SketchRefused

JAN27 = Month(2027, 1)
DEARER = Change("kit_price", Operation.SCALE, 1.05, (("region", "Coast"),), JAN27)
FEWER = Change("kits_ordered", Operation.ADD, -20.0, (("region", "Valley"),), JAN27, Month(2027, 6))


@pytest.fixture
def sketches(store):
    return Sketches(store)


def revenue(model, case):
    plan = build_plan(model)
    return evaluate(plan, [plan.model.changes_of(case)], ["revenue"]).series("revenue").tolist()


def tried(sketches, case="worst", person="Ines"):
    sketches.start(1, person, case)
    sketches.add(1, person, [DEARER], "dearer")
    sketches.add(1, person, [FEWER], "fewer")
    return sketches.of(1, person)


def test_a_sketch_belongs_to_one_person_and_changes_no_model(store, sketches):
    before = store.load(1)
    state = tried(sketches)
    assert state.changes == (DEARER, FEWER)
    assert state.sentences == ("dearer", "fewer")
    assert sketches.of(1, "Okan") is None
    assert store.load(1) == before
    assert store.log(1) == ()


def test_steps_are_taken_back_and_put_back_and_a_new_one_forgets_what_was_undone(sketches):
    tried(sketches)
    sketches.undo(1, "Ines")
    assert sketches.of(1, "Ines").changes == (DEARER,)
    assert sketches.of(1, "Ines").undone == ("fewer",)
    sketches.redo(1, "Ines")
    assert sketches.of(1, "Ines").changes == (DEARER, FEWER)
    sketches.undo(1, "Ines")
    sketches.add(1, "Ines", [FEWER], "fewer again")
    with pytest.raises(SketchRefused, match="nothing in the sketch to put back"):
        sketches.redo(1, "Ines")


def test_starting_again_keeps_what_is_there_and_dropping_forgets_it(sketches):
    tried(sketches)
    sketches.start(1, "Ines", "best")
    assert sketches.of(1, "Ines").case == "worst"
    sketches.drop(1, "Ines")
    assert sketches.of(1, "Ines") is None
    with pytest.raises(SketchRefused, match="is not on"):
        sketches.add(1, "Ines", [DEARER], "late")


@pytest.mark.parametrize(
    ("keep", "case"),
    [
        (lambda sketches: sketches.keep_in_case("Ines", "kept"), "worst"),
        (lambda sketches: sketches.keep_as_fork("Ines", "tried", "Tried", "kept"), "tried"),
        (lambda sketches: sketches.keep_as_move("Ines", "tried", "Tried", "kept"), "worst"),
    ],
)
def test_what_was_sketched_is_what_is_kept(store, sketches, keep, case):
    state = tried(sketches)
    model = store.load(1).model
    promised = revenue(replace(model, sketch=state.layer), "worst")
    store.edit(1, "Ines", 0, keep(sketches))
    assert revenue(store.load(1).model, case) == pytest.approx(promised, rel=1e-12)
    assert sketches.of(1, "Ines") is None
    assert [entry.sentence for entry in store.log(1)] == ["kept"]
    store.undo(1, "Ines")
    assert store.load(1).model == model


def test_kept_in_the_root_it_becomes_rules_and_reaches_every_case(store, sketches):
    state = tried(sketches, case="base")
    store.edit(1, "Ines", 0, sketches.keep_in_case("Ines", "kept"))
    after = store.load(1).model
    assert after.case("base").changes == ()
    words = after.line("kit_price").rules[("Coast",)].words(lambda v: f"{v:.4f}")
    assert words == "49.0000 from Jan 26, then 52.9935 from Jan 27, then 54.5833 from Jan 28"
    assert len(state.changes) == 2


def test_what_is_gone_since_is_left_out_of_a_sketch(store, sketches):
    sketches.start(1, "Ines", "base")
    sketches.add(1, "Ines", [Change("software", Operation.SCALE, 2.0, (), JAN27)], "more")
    row = [entry.name for entry in store.load(1).model.lines].index("software")
    assert row >= 0
    store.edit(1, "Okan", 0, edits.rename_line("software", "programs", "renamed"))
    assert sketches.of(1, "Ines").changes[0].line == "programs"


def test_a_fork_or_move_called_like_another_is_refused_and_the_sketch_stays(store, sketches):
    tried(sketches)
    for keep, said in (
        (sketches.keep_as_fork("Ines", "best_2", "best", "kept"), "already a case called Best"),
        (sketches.keep_as_move("Ines", "lab_2", "Second  Lab", "kept"), "already a move called Second lab"),
    ):
        with pytest.raises(InvalidModel, match=said):
            store.edit(1, "Ines", 0, keep)
        assert sketches.of(1, "Ines") is not None
