"""Walks: a figure after each step of a case, which telescope to what the case is."""

from dataclasses import replace

import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.core.changes.test_family import MOVES, families
from tests.kit.laws import law
from tests.kit.small import given, model_of
from widefork.core.analysis.figures import answer
from widefork.core.analysis.walk import walk_cases
from widefork.core.changes import Case, Change, Family, Operation, Sketch, Switch
from widefork.core.engine import evaluate
from widefork.core.figures import Figure, Reduction
from widefork.core.finance.assemble import build_plan

PRICES = Figure("prices", "Prices in total", "price", (), None, None, Reduction.SUM)


def plan_of(family, sketch=None):
    model = model_of(given("price", 10), given("volume", 3))
    return build_plan(replace(model, cases=family.cases, moves=tuple(family.moves.values()), sketch=sketch))


@law(40)
@forall(families(), st.booleans())
def test_a_walk_telescopes_to_the_case_whatever_is_sketched(family, is_sketched):
    sketch = Sketch(family.cases[1].name, (Change("price", Operation.ADD, 5.0),)) if is_sketched else None
    plan = plan_of(family, sketch)
    whole = answer(PRICES, evaluate(plan, [plan.model.changes_of(case.name) for case in family.cases]))
    walks = walk_cases(plan, PRICES)
    for place, case in enumerate(family.cases):
        walk = walks[case.name]
        assert walk.end == whole.amounts[place]
        assert walk.start + sum(stage.moved for stage in walk.stages) == pytest.approx(walk.end)
        assert all(stage.moves == (stage.moved != 0) for stage in walk.stages)


def test_a_walk_says_what_each_step_moves_on_top_of_those_before():
    cases = (
        Case("base", "Base", None, (Change("price", Operation.ADD, 2.0),)),
        Case("one", "One", "base", (Change("price", Operation.SCALE, 0.5), Change("volume", Operation.ADD, 1.0))),
        Case("two", "Two", "one", (Switch("rise"),)),
    )
    plan = plan_of(Family(cases, MOVES))
    walks = walk_cases(plan, PRICES)
    # six months at 12; halved to 6 a month; 7 more in each of four months
    assert (walks["base"].start, walks["base"].stages) == (72.0, ())
    assert [(s.amount, s.moved, s.moves) for s in walks["one"].stages] == [(36.0, -36.0, True), (36.0, 0.0, False)]
    assert [(s.amount, s.moved) for s in walks["two"].stages] == [(36.0, -36.0), (36.0, 0.0), (64.0, 28.0)]
    assert [s.layer.case for s in walks["two"].stages] == ["one", "one", "two"]


def test_a_case_that_drops_a_step_of_the_root_does_not_start_from_the_root():
    cases = (
        Case("base", "Base", None, (Change("price", Operation.ADD, 2.0, name="more"),)),
        Case("one", "One", "base", (), drops=("more",)),
    )
    walk = walk_cases(plan_of(Family(cases, MOVES)), PRICES)["one"]
    assert (walk.start, walk.without, walk.stages) == (60.0, 1, ())
