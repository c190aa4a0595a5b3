"""A case is one ordered list of steps: what is typed is what is shown, and a kept sketch is what it showed."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit import desk
from tests.kit.laws import law
from tests.kit.strategies import courses, models
from widefork.core.axes import Month
from widefork.core.changes import ByHand, Case, Change, Operation, Sketch, Switch, changes_to
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.finance.assemble import build_plan
from widefork.store import edits
from widefork.store.sketches import Sketches

JAN27, JUN27 = Month(2027, 1), Month(2027, 6)
COAST = (("region", "Coast"),)


def months_of(model, case, line="kit_price", member="Coast"):
    plan = build_plan(model)
    return evaluate(plan, [plan.model.changes_of(case)], [line]).series(line, (member,) if member else ())


def month_of(model, case, month, **more):
    return float(months_of(model, case, **more)[model.timeline.index(month)])


@pytest.fixture
def moved(store):
    """The demo with its price rise of 6 % on in Base and in Best, each as its latest step."""
    store.edit(1, "Ines", 0, edits.switch_on("base", "price_rise", "on"))
    return store


def edit(store, apply, person="Ines"):
    return store.edit(1, person, store.revision(1), apply)


@st.composite
def tries(draw):
    """Changes somebody may try in any case of a random model, one after another."""
    month = st.builds(Month, st.integers(2025, 2029), st.integers(1, 12))
    members = st.sampled_from([(), (("region", "Coast"),), (("region", "2nd"),)])

    def one():
        first, last = sorted([draw(month), draw(month)])
        course = draw(st.none() | courses)
        amount = draw(st.floats(-1e4, 1e4))
        operation = draw(st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE]))
        found = Change("kits", operation, amount, draw(members), first, draw(st.none() | st.just(last)))
        return replace(found, course=course)

    return [one() for _ in range(draw(st.integers(1, 4)))]


@law(25)
@forall(models(), tries(), st.sampled_from(["base", "best", "better", "calm"]))
def test_keeping_a_sketch_gives_to_the_last_digit_what_it_showed(tmp_path_factory, model, tried, case):
    store = desk.empty_store(tmp_path_factory.mktemp("kept"))
    try:
        store.create(model)
        sketches = Sketches(store)
        sketches.start(1, "Ines", case)
        sketches.add(1, "Ines", tried, "tried")
        shown = values(replace(store.load(1).model, sketch=Sketch(case, tuple(tried))))
        edit(store, sketches.keep_in_case("Ines", "kept"))
        kept = values(store.load(1).model)
        for name, amounts in shown.items():
            assert np.array_equal(kept[name], amounts, equal_nan=True), name
    finally:
        store.engine.dispose()


def values(model):
    """All lines in all cases."""
    plan = build_plan(model)
    results = evaluate(plan, [plan.model.changes_of(case.name) for case in plan.model.cases])
    return {line.name: results.values(line.name).copy() for line in plan.model.lines}


@pytest.mark.parametrize("case", ["base", "best", "worst"])
def test_what_is_typed_is_shown_also_where_a_move_acts(moved, case):
    assert month_of(moved.load(1).model, "base", JAN27) != 40
    edit(moved, edits.change_cells(case, (Change("kit_price", Operation.SET, 40.0, COAST, JAN27, JAN27),), "40"))
    assert month_of(moved.load(1).model, case, JAN27) == 40
    edit(moved, edits.change_cells(case, (Change("kit_price", Operation.SET, 41.0, COAST, JAN27, JAN27),), "41"))
    assert month_of(moved.load(1).model, case, JAN27) == 41
    steps = moved.load(1).model.case(case).steps
    assert [step.amount for step in steps if isinstance(step, Change) and step.first == step.last == JAN27] == [41]


def test_in_the_root_only_the_cells_a_step_touches_become_a_step(moved):
    """The price rise begins in January 2027: what is typed before it is part of the rule."""
    typed = Change("kit_price", Operation.SET, 40.0, COAST, Month(2026, 11), Month(2027, 2))
    before = months_of(moved.load(1).model, "base")
    edit(moved, edits.change_cells("base", (typed,), "40"))
    model = moved.load(1).model
    [step] = [step for step in model.cases[0].steps if isinstance(step, Change)]
    assert (step.amount, step.first, step.last) == (40, JAN27, Month(2027, 2))
    after = months_of(model, "base")
    places = [model.timeline.index(month) for month in (Month(2026, 11), Month(2027, 2))]
    assert after[places[0] : places[1] + 1].tolist() == [40] * 4
    outside = np.r_[0 : places[0], places[1] + 1 : len(after)]
    assert after[outside].tolist() == before[outside].tolist()


def test_switching_a_move_on_makes_it_the_last_step_and_off_takes_it_out(store):
    typed = Change("kit_price", Operation.SET, 40.0, COAST, JAN27, JUN27)
    edit(store, edits.change_cells("best", (typed,), "40"))
    edit(store, edits.switch_on("best", "price_rise", "on"))
    model = store.load(1).model
    assert model.case("best").steps[-1] == Switch("price_rise")
    assert month_of(model, "best", JAN27) == pytest.approx(42.4)
    with pytest.raises(InvalidModel, match="on already"):
        edit(store, edits.switch_on("best", "price_rise", "on"))
    edit(store, edits.switch_off("best", "price_rise", "off"))
    assert month_of(store.load(1).model, "best", JAN27) == 40
    with pytest.raises(InvalidModel, match="not on"):
        edit(store, edits.switch_off("best", "price_rise", "off"))
    store.undo(1, "Ines")
    assert month_of(store.load(1).model, "best", JAN27) == pytest.approx(42.4)


def test_a_move_switched_off_below_is_dropped_there_and_one_switched_on_later_is_another_step(moved):
    edit(moved, edits.switch_off("worst", "price_rise", "off"))
    model = moved.load(1).model
    assert model.case("worst").drops == ("price_rise",)
    assert month_of(model, "worst", JAN27) < month_of(model, "base", JAN27)
    # What is dropped is that step: it goes with it, and a later one is not dropped.
    edit(moved, edits.switch_off("base", "price_rise", "off"))
    assert moved.load(1).model.case("worst").drops == ()
    edit(moved, edits.switch_on("base", "price_rise", "on again"))
    model = moved.load(1).model
    assert month_of(model, "worst", JAN27) == month_of(model, "base", JAN27)
    moved.undo(1, "Ines")
    moved.undo(1, "Ines")
    assert moved.load(1).model.case("worst").drops == ("price_rise",)


def test_a_step_edited_is_the_same_step_also_for_a_case_that_drops_it(nothing_stored, demo_model):
    typed = Change("kit_price", Operation.SET, 40.0, COAST, JAN27, JUN27, name="dear")
    cases = (
        *(replace(c, steps=(*c.steps, typed)) if c.name == "best" else c for c in demo_model.cases),
        Case("calm", "Calm", "best", drops=("dear",)),
    )
    store = nothing_stored
    store.create(replace(demo_model, cases=cases))
    edit(store, edits.change_cells("best", (replace(typed, amount=44.0, name=""),), "44"))
    model = store.load(1).model
    assert model.case("best").steps[-1] == replace(typed, amount=44.0)
    assert model.case("calm").drops == ("dear",)
    assert month_of(model, "calm", JAN27) == month_of(model, "base", JAN27)


def test_a_pasted_row_is_one_step_and_a_month_of_it_goes_back_alone(store):
    model = store.load(1).model
    now = months_of(model, "best")
    wanted = now.copy()
    begin = model.timeline.index(JAN27)
    wanted[begin : begin + 6] = [30, 31, 32, now[begin + 3], 34, 35]
    pasted = changes_to("kit_price", COAST, now, wanted, model.timeline)
    edit(store, edits.change_cells("best", pasted, "pasted"))
    [step] = [step for step in store.load(1).model.case("best").changes if step.line == "kit_price"]
    assert step.course == ByHand((30.0, 31.0, 32.0, None, 34.0, 35.0))
    assert months_of(store.load(1).model, "best").tolist() == wanted.tolist()
    march = Month(2027, 3)
    edit(store, edits.back_to_parent("best", [edits.CellsBack("kit_price", ("Coast",), march, march)], "back"))
    [step] = [step for step in store.load(1).model.case("best").changes if step.line == "kit_price"]
    assert step.course == ByHand((30.0, 31.0, None, None, 34.0, 35.0))
    store.undo(1, "Ines")
    assert months_of(store.load(1).model, "best").tolist() == wanted.tolist()
