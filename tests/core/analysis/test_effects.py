"""Effects of moves: each is the difference of two cases computed by themselves."""

from dataclasses import replace

import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.core.changes.test_family import MOVES, families
from tests.kit.laws import law
from tests.kit.small import given, model_of
from widefork.core.analysis.effects import Effect, move_effects
from widefork.core.analysis.figures import answer
from widefork.core.changes import Case, Change, Family, Operation, Switch
from widefork.core.engine import evaluate
from widefork.core.figures import Figure, Reduction
from widefork.core.finance.assemble import build_plan

PRICES = Figure("prices", "Prices in total", "price", (), None, None, Reduction.SUM)


def plan_of(family):
    model = model_of(given("price", 10), given("volume", 3))
    return build_plan(replace(model, cases=family.cases, moves=tuple(family.moves.values())))


def figure_of(family, case):
    plan = plan_of(family)
    return float(answer(PRICES, evaluate(plan, [plan.model.changes_of(case)])).amounts[0])


def without(family, case, moves):
    """The family with some moves off in a case, as somebody would switch them off."""
    for move in moves:
        own = [s for s in family.case(case).steps if not (isinstance(s, Switch) and s.move == move)]
        family = family.with_steps(case, own)
        left = next((layer for layer in family.layers_of(case) if layer.move == move), None)
        family = family if left is None else family.dropping(case, left)
    return family


@law(30)
@forall(families(), st.data())
def test_an_effect_is_the_difference_of_two_cases(family, data):
    case = data.draw(st.sampled_from([one.name for one in family.cases]))
    on = [layer.move for layer in family.layers_of(case) if layer.move is not None]
    whole, bare = figure_of(family, case), without(family, case, on)
    [effects] = move_effects(plan_of(family), case, [PRICES])
    assert effects.together == pytest.approx(whole - figure_of(bare, case))
    for effect in effects.moves:
        assert effect.is_on == (effect.move in on)
        if effect.is_on:
            alone = without(family, case, [move for move in on if move != effect.move])
            assert effect.given_others == pytest.approx(whole - figure_of(without(family, case, [effect.move]), case))
        else:
            alone = bare.with_steps(case, (*bare.case(case).steps, Switch(effect.move)))
            more = family.with_steps(case, (*family.case(case).steps, Switch(effect.move)))
            if effect.move not in family.case(case).drops:
                assert effect.given_others == pytest.approx(figure_of(more, case) - whole)
        if effect.is_on or effect.move not in bare.case(case).drops:
            assert effect.alone == pytest.approx(figure_of(alone, case) - figure_of(bare, case))


def test_alone_and_given_the_others_differ_where_moves_meet():
    # six months at 10: halved 30; a rise of 7 in four months is 28 alone, and 14 once the halving follows it
    half = replace(MOVES["push"], name="half", changes=(Change("price", Operation.SCALE, 0.5),))
    case = Case("one", "One", "base", (Switch("rise"), Switch("half")))
    family = Family((Case("base", "Base"), case), {"rise": MOVES["rise"], "half": half, "push": MOVES["push"]})
    prices, volumes = move_effects(plan_of(family), "one", [PRICES, replace(PRICES, line="volume")])
    assert prices.moves == (
        Effect("rise", True, 28.0, 14.0),
        Effect("half", True, -30.0, -44.0),
        Effect("push", False, 0.0, 0.0),
    )
    assert (prices.together, prices.one_by_one) == (-16.0, -2.0)
    assert volumes.moves[2] == Effect("push", False, 4.5, 4.5)


def test_one_of_a_group_stands_in_the_place_of_the_one_on():
    moves = {name: replace(MOVES["rise"], name=name, group="price", changes=(Change("price", Operation.ADD, add),))
             for name, add in (("small", 1.0), ("large", 5.0))}  # fmt: skip
    family = Family((Case("base", "Base", None, (Switch("small"),)),), moves)
    [effects] = move_effects(plan_of(family), "base", [PRICES])
    assert effects.moves == (Effect("small", True, 6.0, 6.0), Effect("large", False, 30.0, 24.0))
