"""Cases as a family: whatever is moved, dropped, adopted or bundled, numbers change only where they are meant to."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import given, model_of
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Family, Move, Operation, Switch, free_name
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.finance.assemble import build_plan

JAN, APR = Month(2026, 1), Month(2026, 4)
LINES = ("price", "volume")
OPERATIONS = (Operation.SET, Operation.ADD, Operation.SCALE)
MOVES = {
    "push": Move("push", "Push", JAN, (Change("volume", Operation.SCALE, 1.5, first=APR),)),
    "rise": Move("rise", "Rise", JAN, (Change("price", Operation.ADD, 7.0, first=JAN, last=APR),)),
}
NAMES = ("base", "one", "two", "three", "four", "five")


GROUPED = {name: replace(move, group="one") for name, move in MOVES.items()} | {
    "fall": Move("fall", "Fall", JAN, (Change("price", Operation.ADD, -2.0),)),
}


@st.composite
def families(draw, moves=MOVES):
    """Some cases in any shape: changes, moves switched on and given another start, drops of what is inherited."""
    family = Family((Case("base", "Base"),), moves)
    for name in NAMES[: draw(st.integers(3, len(NAMES)))]:
        parent = draw(st.sampled_from([case.name for case in family.cases])) if name != "base" else None
        changes = st.builds(
            Change, st.sampled_from(LINES), st.sampled_from(OPERATIONS), st.sampled_from((0.5, 2.0, 3.0)),
            first=st.sampled_from((None, JAN, APR)),
        )  # fmt: skip
        start, strength = st.sampled_from((None, JAN, APR)), st.sampled_from((0.5, 1.0))
        steps = draw(st.lists(changes | st.builds(Switch, st.sampled_from(sorted(moves)), start, strength), max_size=3))
        groups = [moves[step.move].group or step.move for step in steps if isinstance(step, Switch)]
        if len(set(groups)) < len(groups):  # one of a group at a time, and each once
            steps = [step for step in steps if isinstance(step, Change)]
        case = Case(name, name.title(), parent, tuple(steps))
        family = family.with_case(case) if name == "base" else replace(family, cases=(*family.cases, case))
        for layer in family.inherited(name):
            if draw(st.integers(0, 3)) == 0:
                family = family.dropping(name, next(x for x in family.inherited(name) if _same(x, layer)))
    return family


def _same(one, other):
    return replace(one.step, name="") == replace(other.step, name="") if one.move is None is other.move else (
        one.move == other.move
    )  # fmt: skip


def values_of(family):
    """The months of both lines in every case, computed."""
    model = model_of(given("price", 10), given("volume", {"growth": {"base": 3, "rate": 0.1, "since": "2026-01"}}))
    plan = build_plan(replace(model, cases=family.cases, moves=tuple(family.moves.values())))
    results = evaluate(plan, [plan.model.changes_of(case.name) for case in family.cases])
    lines = np.stack([results.values(line) for line in LINES])
    return {case.name: lines[..., place] for place, case in enumerate(family.cases)}


def assert_kept(before, after, but=()):
    was, now = values_of(before), values_of(after)
    for name, values in was.items():
        if name not in but:
            np.testing.assert_array_equal(now[name], values, err_msg=name)


@law(60)
@forall(families(), st.data())
def test_a_case_adopted_by_the_root_changes_no_other_case(family, data):
    name = data.draw(st.sampled_from([case.name for case in family.cases[1:]]))
    after = family.adopted(name)
    assert_kept(family, after, but=("base",))
    assert np.array_equal(values_of(after)["base"], values_of(family)[name])
    assert after.case(name) == replace(family.case(name), parent="base", steps=(), drops=())


@law(60)
@forall(families(), st.data())
def test_a_case_put_under_another_keeps_its_numbers_when_told_to(family, data):
    name = data.draw(st.sampled_from([case.name for case in family.cases[1:]]))
    parents = [case.name for case in family.cases if case.name not in (name, *family.forks_of(name))]
    after = family.under(name, data.draw(st.sampled_from(parents)), keeps_numbers=True)
    assert_kept(family, after)


@law(60)
@forall(families(), st.data())
def test_put_under_another_otherwise_its_own_steps_act_on_that_one(family, data):
    name = data.draw(st.sampled_from([case.name for case in family.cases[1:]]))
    parents = [case.name for case in family.cases if case.name not in (name, *family.forks_of(name))]
    parent = data.draw(st.sampled_from(parents))
    after = family.under(name, parent, keeps_numbers=False)
    assert after.case(name).steps == family.case(name).steps
    assert after.case(name).parent == parent
    assert_kept(family, after, but=(name, *family.forks_of(name)))


@law(60)
@forall(families(GROUPED), st.data())
def test_moves_that_exclude_one_another_keep_numbers_all_the_same(family, data):
    name = data.draw(st.sampled_from([case.name for case in family.cases[1:]]))
    adopted = family.adopted(name)
    assert_kept(family, adopted, but=("base",))
    assert np.array_equal(values_of(adopted)["base"], values_of(family)[name])
    parents = [case.name for case in family.cases if case.name not in (name, *family.forks_of(name))]
    assert_kept(family, family.under(name, data.draw(st.sampled_from(parents)), keeps_numbers=True))
    for case in family.cases:
        on = [layer.move for layer in family.layers_of(case.name) if layer.move in ("push", "rise")]
        assert len(on) <= 1


@law(60)
@forall(families(), st.data())
def test_a_drop_put_back_is_as_if_never_dropped(family, data):
    name = data.draw(st.sampled_from([case.name for case in family.cases[1:]]))
    droppable = [x for x in family.inherited(name) if x.name not in family.case(name).drops or not x.name]
    droppable = [x for x in droppable if x.move is None or all(s.move != x.move for s in family.case(name).switches)]
    if not droppable:
        return
    layer = data.draw(st.sampled_from(droppable))
    dropped = family.dropping(name, layer)
    assert_kept(family, dropped, but=(name, *family.forks_of(name)))
    [drop] = set(dropped.case(name).drops) - set(family.case(name).drops)
    assert_kept(family, dropped.putting_back(name, drop))


@law(60)
@forall(families(), st.data())
def test_neighbouring_changes_made_a_move_change_nothing(family, data):
    name = data.draw(st.sampled_from([case.name for case in family.cases]))
    case = family.case(name)
    places = [place for place, step in enumerate(case.steps) if isinstance(step, Change)]
    if not places:
        return
    first = data.draw(st.sampled_from(places))
    run = [first]
    while run[-1] + 1 in places:
        run.append(run[-1] + 1)
    after = family.bundled(name, run, Move("bundle", "Bundle", JAN))
    assert_kept(family, after)
    assert after.case(name).steps[first] == Switch("bundle")
    assert len(after.moves["bundle"].changes) == len(run)


def small(*cases):
    return Family(cases, MOVES)


def test_what_cannot_be_said_of_a_family_is_refused_in_words():
    family = small(Case("base", "Base"), Case("worst", "Worst", "base"), Case("cut", "Cut early", "worst"))
    with pytest.raises(InvalidModel, match="Cut early forks from Worst, so Worst cannot fork from it"):
        family.under("worst", "cut", keeps_numbers=True)
    with pytest.raises(InvalidModel, match="Base is the root"):
        family.under("base", "worst", keeps_numbers=False)
    with pytest.raises(InvalidModel, match="Base is the root already"):
        family.adopted("base")
    with pytest.raises(UnknownName, match="dropped step"):
        family.putting_back("cut", "push")
    with pytest.raises(InvalidModel, match="Choose the changes first"):
        family.bundled("worst", (), Move("m", "M", JAN))


def test_a_change_gets_a_name_to_be_dropped_by_and_a_move_keeps_its_own():
    worst = Case("worst", "Worst", "base", (Change("price", Operation.SCALE, 0.9), Switch("push")))
    family = small(Case("base", "Base"), worst, Case("cut", "Cut early", "worst"))
    price, push = family.inherited("cut")
    family = family.dropping("cut", price)
    assert family.case("cut").drops == ("worst_price",)
    assert family.case("worst").changes[0].name == "worst_price"
    family = family.dropping("cut", push)
    assert family.case("cut").drops == ("worst_price", "push")
    assert [layer.name for layer in family.dropped_by("cut")] == ["worst_price", "push"]
    assert family.with_steps("worst", ()).case("cut").drops == ()


def test_a_name_given_to_be_dropped_by_is_nobody_elses():
    steps = (Change("volume", Operation.SET, 0.5, name="base_volume"), Change("volume", Operation.SET, 0.5, first=JAN))
    one, two = Case("one", "One", "base"), Case("two", "Two", "base", drops=("base_volume",))
    assert_kept(family := small(Case("base", "Base", None, steps), one, two), family.adopted("two"), but=("base",))


def test_a_bundle_holds_changes_only():
    family = small(Case("base", "Base", None, (Switch("push"),)))
    with pytest.raises(InvalidModel, match="choose changes only"):
        family.bundled("base", (0,), Move("m", "M", JAN))


def test_a_free_name_counts_on():
    assert free_name("a", ()) == "a"
    assert free_name("a", ("a", "a_2")) == "a_3"


def test_a_weight_is_a_share():
    with pytest.raises(InvalidModel, match="130 % was given"):
        Case("x", "X", weight=1.3)
