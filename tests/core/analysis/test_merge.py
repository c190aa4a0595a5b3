"""Merging: a case of another file does here what it does there; what does not fit is named."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.core.changes.test_family import MOVES, families, values_of
from tests.kit.laws import law
from tests.kit.small import calculated, given, model_of
from widefork.core.analysis.merge import merge_case
from widefork.core.axes import Month
from widefork.core.changes import Aim, ByAge, Case, Change, Move, Operation, Switch
from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.figures import Figure
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.model import Profile

ALL_MOVES = tuple(MOVES.values())
LINES = (given("price", 10), given("volume", 3))


def model_with(cases, moves=ALL_MOVES, lines=LINES, **more):
    return replace(model_of(*lines, **more), cases=cases, moves=moves)


@law(40)
@forall(families(), families(), st.data())
def test_a_case_merged_does_what_it_does_in_its_file(here, there, data):
    name = data.draw(st.sampled_from([case.name for case in there.cases[1:]]))
    merge = merge_case(build_plan(model_with(here.cases)), model_with(there.cases), name)
    assert not merge.misfits
    assert not merge.moves
    after = values_of(merge.family)
    np.testing.assert_array_equal(after[merge.case], values_of(there)[name])
    for known, values in values_of(here).items():
        np.testing.assert_array_equal(after[known], values)


def test_what_does_not_fit_is_named_with_its_reason():
    new = Move("new", "New", Month(2026, 1), (Change("price", Operation.ADD, 1.0),), owner="Ines", group="One")
    lost = Move("lost", "Lost", Month(2026, 1), (Change("gone", Operation.ADD, 1.0),))
    curve = ByAge("ramp", (0.5, 1.0))
    steps = (
        Change("price", Operation.SCALE, 2.0),
        Change("gone", Operation.SCALE, 2.0),
        Change("price", Operation.SCALE, 2.0, members=(("region", "Coast"),)),
        Change("price", Operation.SET, 2.0, first=Month(2031, 1)),
        Change("price", Operation.SET, 2.0, first=Month(2026, 1), course=curve),
        Change("own_past", Operation.ADD, 1.0),
        Switch("new"),
        Switch("lost"),
        Switch("push"),
    )
    ramp = Profile("ramp", "Ramp", (0.5, 1.0))
    there = model_with(
        (Case("base", "Base"), Case("bad", "Bad", "base", steps, "why", weight=0.25)),
        (replace(new, aims=(Aim("theirs", 1.0),)), lost, MOVES["push"]),
        (*LINES, given("gone", 1), given("own_past", 1)), profiles=(ramp,),
        figures=(Figure("theirs", "Theirs", "gone"),),
    )  # fmt: skip
    push = replace(MOVES["push"], changes=())
    here = model_with(
        (Case("base", "Base"), Case("bad", "Bad", "base")), (push,),
        (*LINES, calculated("own_past", "before(own_past) + 1")),
    )  # fmt: skip
    merge = merge_case(build_plan(here), there, "bad")
    case = merge.family.case(merge.case)
    assert (case.name, case.label, case.parent, case.note, case.weight) == ("bad_2", "Bad 2", "base", "why", 0.25)
    assert case.steps == (steps[0], steps[3], Switch("new"), Switch("push"))  # what lies beyond the plan waits there
    assert merge.moves == (new,)
    assert merge.otherwise == ("Push",)
    assert [misfit.why for misfit in merge.misfits] == [
        "there is no line gone here",
        "Price is not spread over region here",
        "the profile ramp is not the same here",
        "Own_Past carries its own past forward, so a change would compound",
        "there is no line gone here",
    ]


def test_a_root_a_case_nobody_has_and_a_file_of_something_else_are_refused():
    bad = Case("bad", "Bad", "base", (Change("gone", Operation.ADD, 1.0),))
    there = model_with((Case("base", "Base"), bad), (), (given("gone", 1),))
    plan = build_plan(model_with((Case("base", "Base"),), ()))
    with pytest.raises(InvalidModel, match="Base is the root of its file"):
        merge_case(plan, there, "base")
    with pytest.raises(UnknownName, match="case"):
        merge_case(plan, there, "worse")
    with pytest.raises(InvalidModel, match="Nothing of Bad fits this model: there is no line gone here"):
        merge_case(plan, there, "bad")
