"""Grids of alternatives: every cell is the case computed alone; sets are read from words; what is best is found."""

from dataclasses import replace
from itertools import product

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.core.changes.test_family import MOVES, families
from tests.kit.laws import law
from tests.kit.small import calculated, given, model_of
from widefork.core.analysis.grid import (
    Alternative,
    Alternatives,
    best_in_rows,
    carriers,
    contributions,
    read_set,
    runs_of,
    try_all,
)
from widefork.core.axes import Dimension, Month, Period
from widefork.core.changes import Case, Change, Move, Operation, Switch
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.figures import Figure
from widefork.core.finance.assemble import build_plan

JAN, APR = Month(2026, 1), Month(2026, 4)
PRICES, VOLUMES = Figure("p", "Prices", "price"), Figure("v", "Volumes", "volume")


def plan_of(family):
    model = model_of(given("price", 10), given("volume", 3), months=12)
    return build_plan(replace(model, cases=family.cases, moves=tuple(family.moves.values())))


LINES = ("price", "volume")
changes = st.builds(
    Change, st.sampled_from(LINES), st.sampled_from((Operation.ADD, Operation.SCALE)), st.sampled_from((0.5, 2.0)),
    first=st.sampled_from((None, APR)),
)  # fmt: skip
starts, strengths = st.sampled_from((None, APR)), st.sampled_from((0.5, 1.0))
steps = changes | st.builds(Switch, st.sampled_from(sorted(MOVES)), starts, strengths)


@st.composite
def sets(draw, name):
    choices = draw(st.lists(st.lists(steps, max_size=2), min_size=2, max_size=3))
    return Alternatives(name, tuple(Alternative(f"{name}{n}", tuple(own)) for n, own in enumerate(choices)))


@law(25)
@forall(families(), st.data())
def test_a_cell_is_the_case_with_its_steps_computed_alone(family, data):
    plan = plan_of(family)
    case = data.draw(st.sampled_from([each.name for each in family.cases]))
    chosen = [data.draw(sets(name)) for name in data.draw(st.sampled_from(("ab", "abc")))]
    grid = try_all(plan, case, chosen, [PRICES, VOLUMES])
    for places in product(*(range(len(each.choices)) for each in chosen)):
        alone = replace(plan.model, cases=family.cases)
        own = alone.case(case).followed_by(grid.steps(*places))
        lone = replace(alone, cases=tuple(own if each.name == case else each for each in family.cases))
        results = evaluate(plan, [lone.changes_of(case)])
        at = (*places, *([0] if len(chosen) == 2 else []))
        for number, name in enumerate(LINES):
            assert grid.amounts[(number, *at)] == results.values(name)[..., 0].sum()


WAVE = Move("wave", "Wave", JAN, (Change("sales", Operation.DEFER, 0.5, (), JAN, Month(2026, 3), catch_up_months=3),))
FEW = Move("few", "Few", APR, (Change("sales", Operation.ADD, 5, (), APR),), group="Staff")
NONE = Move("none", "None at all", APR, (Change("sales", Operation.STOP, 0, (), APR),), group="Staff")


AREA = Dimension("area", ("North, far", "South"))
LOW = Case("low", "Low", "base", (Change("sales", Operation.SCALE, 0.5),))


def company(*base_steps, moves=(WAVE, FEW, NONE)):
    sales = given("sales", {("North, far",): 10, ("South",): 20}, ("area",), unit="EUR", posts_to="revenue")
    rent = given("rent", 8, unit="EUR", posts_to="premises_costs")
    cases = (Case("base", "Base", None, base_steps), LOW)
    return build_plan(model_of(sales, rent, months=12, more_dimensions=(AREA,), cases=cases, moves=moves))


def read(text, *base_steps, case="base"):
    return read_set(company(*base_steps).model, case, text)


@pytest.mark.parametrize(
    ("text", "labels", "last"),
    [
        ("cases", ("Base", "Low"), ()),
        ("cases: Low, base", ("Low", "Base"), ()),
        ("moves: few; None at all", ("as it is", "Few", "None at all"), (Switch("none"),)),
        ("one of staff", ("as it is", "Few", "None at all"), (Switch("none"),)),
        ("start of Few: 2026-05; Aug 26", ("May 26", "Aug 26"), (Switch("few", Month(2026, 8)),)),
        ("strength of few: 0 %, 150 %", ("0 %", "150 %"), (Switch("few", None, 1.5),)),
        ("sales at North, far: 4; +5; -10 %; x 1.1", ("4", "+5", "-10 %", "x 1.1"),
         (Change("sales", Operation.SCALE, 1.1, (("area", "North, far"),)),)),
        ("sales at South: as it is, 3 months later", ("as it is", "3 months later"),
         (Change("sales", Operation.DELAY, 3.0, (("area", "South"),)),)),
        ("rent", ("-10 %", "as it is", "+10 %"), (Change("rent", Operation.SCALE, 1.1),)),
        ("rent: 1,200; -1,200.5", ("1,200", "-1,200.5"), (Change("rent", Operation.SET, -1200.5),)),
    ],
)  # fmt: skip
def test_sets_are_read_from_words(text, labels, last):
    found = read(text)
    assert tuple(choice.label for choice in found.choices) == labels
    assert found.choices[-1].steps == last


def test_what_stands_already_stays_where_only_its_start_or_its_strength_is_asked():
    late = Switch("few", Month(2026, 6), 0.5)
    assert read("strength of few: 0.5, 1", late).choices[1].steps == (Switch("few", Month(2026, 6), 1.0),)
    assert read("start of few: 2026-04, 2026-07", late).choices[1].steps == (Switch("few", Month(2026, 7), 0.5),)
    none, few, _ = read("one of Staff", late).choices
    assert (none.label, none.steps, few.steps) == ("none of them", (Switch("few", None, 0.0),), (Switch("few"),))
    plan = company(late)
    both = [
        read_set(plan.model, "base", text) for text in ("start of few: 2026-04, 2026-08", "strength of few: 0.5, 1")
    ]
    grid = try_all(plan, "base", both, [Figure("r", "Revenue", "revenue")])
    assert grid.steps(1, 1) == (Switch("few", Month(2026, 8), 1.0),)
    assert grid.amounts[0, 1, 1, 0] == 12 * 30 + 5 * 2 * 5


@law(20)
@forall(st.floats(0.05, 1), st.integers(1, 99).map(lambda share: share / 100))
def test_of_what_is_put_off_a_share_is_lost_for_good(put_off, share):
    wave = replace(WAVE, changes=(replace(WAVE.changes[0], amount=put_off),))
    plan = company(moves=(wave,))
    lost = read_set(plan.model, "base", f"lost of wave: 0, {share!r}, 1.0")
    grid = try_all(plan, "base", (lost, read_set(plan.model, "base", "cases")), [Figure("r", "Revenue", "revenue")])
    whole = 12 * 30.0
    for place, part in enumerate((0.0, share, 1.0)):
        assert grid.amounts[0, place, 0, 0] == pytest.approx(whole - part * put_off * 3 * 30)


def test_a_shape_is_per_cent_month_by_month_and_as_it_was_thereafter():
    shapes = read("shape of sales at South from 2026-03: quick = 50 100; slow = 50% 50% 80%")
    grid = try_all(company(), "base", (shapes, read("cases: base, low")), [Figure("r", "Revenue", "revenue")])
    assert grid.amounts[0, :, 0, 0].tolist() == [360 - 10, 360 - 10 - 10 - 4]
    assert [choice.label for choice in shapes.choices] == ["quick", "slow"]


@pytest.mark.parametrize(
    ("text", "kind", "said"),
    [
        ("cases: base", InvalidValue, "at least two"),
        ("cases: base, base", InvalidValue, "stands twice"),
        ("cases: base, wurst", UnknownName, "wurst"),
        ("moves: pusch, few", UnknownName, "pusch"),
        ("one of crews", UnknownName, "Staff"),
        ("lost of few: 0, 1", InvalidValue, "puts nothing off"),
        ("lost of wave: 0, 150 %", InvalidValue, "between 0 and 100 %"),
        ("start of few: soon, later", InvalidValue, "2026-07"),
        ("rent: dear, cheap", InvalidValue, "“dear” is no value"),
        ("shape of rent: a = up; b = down", InvalidValue, "no number"),
        ("rents: 1, 2", UnknownName, "rent"),
        ("rent: 0,5; 1,2", InvalidValue, "read two ways"),
        ("sales at West: 1, 2", UnknownName, "South"),
    ],
)
def test_sets_that_cannot_be_read_say_why(text, kind, said):
    with pytest.raises(kind, match=said):
        read(text)


def test_grids_that_cannot_be_say_why():
    plan, cases = company(), read("cases")
    revenue = [Figure("r", "Revenue", "revenue")]
    with pytest.raises(InvalidValue, match="two or three sets"):
        try_all(plan, "base", [cases], revenue)
    with pytest.raises(InvalidValue, match="Only one set can be of cases"):
        try_all(plan, "base", [cases, cases], revenue)
    many = Alternatives("many", tuple(Alternative(str(n)) for n in range(40)))
    with pytest.raises(InvalidValue, match=r"40 × 40 are 1,600 combinations"):
        try_all(plan, "base", [many, many], revenue)


def test_alternatives_that_come_to_the_same_everywhere_are_found():
    sets_of = [read("moves: few, wave"), read("cases")]
    grid = try_all(company(), "base", sets_of, [Figure("r", "Revenue", "revenue")])
    assert grid.alike(0) == (("as it is", "Wave"),)  # what is put off comes back within the year
    assert grid.alike(1) == ()


TABLE = np.array([[3.0, 1.0, 2.0], [3.0, 1.0, 2.0], [1.0, np.nan, 2.0], [2.0, 2.0, 2.0], [np.nan] * 3])


def test_the_best_of_each_row_ties_and_gaps():
    best = best_in_rows(TABLE[:2])
    assert best.places == ((0,), (0,))
    assert best.behind == (0.0, 2.0, 1.0)
    assert best_in_rows(TABLE[:2], least=True).places == ((1,), (1,))
    assert best_in_rows(TABLE).places == ((0,), (0,), (2,), (0, 1, 2), ())
    assert [(run.first, run.last, run.columns) for run in runs_of(best_in_rows(TABLE))] == [
        (0, 1, (0,)), (2, 2, (2,)), (3, 3, (0, 1, 2)),
    ]  # fmt: skip


@law(60)
@forall(st.lists(st.lists(st.integers(-9, 9), min_size=3, max_size=3), min_size=1, max_size=6))
def test_nobody_falls_behind_the_best_by_less_than_nothing(rows):
    amounts = np.array(rows, dtype=float)
    for least in (False, True):
        best = best_in_rows(amounts, least)
        assert min(best.behind) >= 0
        for row, places in zip(amounts, best.places, strict=True):
            wanted = row.min() if least else row.max()
            assert [row[place] for place in places] == [wanted] * len(places)
            assert len(places) == (row == wanted).sum()


def test_members_contribute_what_carries_them_and_the_rest_is_allocated_to_none():
    plan = company()
    assert carriers(plan.model, "ebitda", "area") == {"sales": 1.0}
    results = evaluate(plan, [(), (Change("rent", Operation.SCALE, 2.0),)])
    year = Period("", "", JAN, Month(2026, 12))
    parts = {share.member: share.amounts.tolist() for share in contributions(results, "ebitda", "area", year)}
    assert parts == {"North, far": [120, 120], "South": [240, 240], "": [-96, -192]}
    means = contributions(results, "ebitda", "area", year, is_mean=True)
    assert [share.amounts.tolist() for share in means] == [[10, 10], [20, 20], [-8, -16]]
    with pytest.raises(InvalidValue, match="not an amount by month"):
        contributions(results, "ebitda_margin", "area", year)


def test_members_that_belong_to_others_count_with_those():
    belongs = {"a": {"region": "Coast"}, "b": {"region": "Valley"}, "c": {"region": "Valley"}}
    crew = Dimension("crew", ("a", "b", "c"), attributes=belongs)
    wages = given("wages", {("a",): 1, ("b",): 2, ("c",): 4}, ("crew",), unit="EUR", posts_to="people_costs")
    more = calculated("extra", "wages * 2", ("crew",), unit="EUR", posts_to="cost_of_sales")
    plan = build_plan(model_of(wages, more, months=12, more_dimensions=(crew,)))
    results = evaluate(plan, [()])
    parts = contributions(results, "ebitda", "region", Period("", "", JAN, JAN))
    found = [(share.member, share.amounts.tolist()) for share in parts]
    assert found == [("Coast", [-3.0]), ("Valley", [-18.0]), ("Upland", [0.0]), ("", [0.0])]
