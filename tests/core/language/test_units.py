import re
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.kit.small import calculated, plan_of
from tests.kit.small import given as assumption
from widefork.core.errors import InvalidModel
from widefork.core.graph.plan import compile_model
from widefork.core.language.parse import parse
from widefork.core.language.units import PLAIN, Unit, UnitForm, check_units, in_ones, read_unit

powers = st.dictionaries(st.sampled_from(["EUR", "kit", "head", "year"]), st.integers(-3, 3).filter(bool), max_size=4)
units = powers.map(lambda p: Unit(tuple(sorted(p.items()))))
LINES = {
    "price": "EUR/kit", "kits": "kits", "sales": "EUR", "rate": "% a year", "balance": "EUR", "share": "%",
    "hours": "hours",
    "effort": "hours/kit", "heads": "heads", "pay": "EUR/head", "fee": "EUR/kit/year",
    "unknown": "", "charge": "% of sales",
}  # fmt: skip
COUNTERS = {"months_per_year": "1/year"}


@given(units, units, units)
def test_units_multiply_like_powers(one, two, three):
    assert one * two == two * one
    assert (one * two) * three == one * (two * three)
    assert one * two / two == one
    assert one / one == PLAIN
    assert one**2 == one * one


@given(powers.filter(lambda p: any(v > 0 for v in p.values())))
def test_a_unit_reads_back_what_it_shows(p):
    unit = Unit(tuple(sorted(p.items())))
    assert read_unit(str(unit)) == unit


@pytest.mark.parametrize(
    ("text", "same"),
    [
        ("kits", "kit"),
        ("EUR / kit", "EUR/kit"),
        ("EUR a month", "EUR"),
        ("% of revenue", "%"),
        ("EUR per head", "EUR/head"),
        ("", "%"),
    ],
)
def test_different_words_for_one_unit(text, same):
    assert read_unit(text) == read_unit(same)


def test_a_price_a_year_is_not_a_price_a_month():
    assert read_unit("EUR/kit/year") != read_unit("EUR/kit/month")


@pytest.mark.parametrize(
    ("formula", "declared"),
    [
        ("price * kits", "EUR"),
        ("price * kits - sales * 3 %", "EUR"),
        ("sales + 100", "EUR"),
        ("max(0, sales - balance)", "EUR"),
        ("before(balance) * rate / months_per_year", "EUR"),
        ("hours / effort", "kits"),
        ("heads * pay * (1 + share)", "EUR"),
        ("if kits > 3 then sales else balance", "EUR"),
        ("sales / balance", "%"),
        ("share_over(kits)", "%"),
        ("kits * unknown", "EUR"),
        ("heads * (1 - (1 - rate) ^ (1 / 12))", "heads"),
        ("fee * kits / months_per_year", "EUR"),
        ("level_payment(balance, rate / months_per_year, 12)", "EUR"),
        ("trailing(sales, 12) / 12", "EUR"),
    ],
)
def test_formulas_that_fit_raise_no_warning(formula, declared):
    assert check_units(parse(formula), declared, LINES, COUNTERS) == ()


@pytest.mark.parametrize(
    ("formula", "declared", "said", "column"),
    [
        ("sales + kits", "EUR", "This adds kit to EUR", 9),
        ("kits - sales", "kits", "This subtracts EUR from kit", 8),
        ("min(sales, kits)", "EUR", "compares EUR with kit in min", 12),
        ("if kits > sales then 1 else 2", "", "This compares kit with EUR", 11),
        ("if kits > 1 then sales else kits", "EUR", "gives EUR in one case and kit in the other", 29),
        ("price * heads", "EUR", "This gives EUR head/kit, but the line is in EUR", 1),
        ("balance * rate", "EUR", "divid.* by months_per_year", 1),
        ("fee * kits", "EUR", "but the line is in EUR", 1),
        ("sales * 2", "kits", "This gives EUR, but the line is in kit", 1),
    ],
)
def test_a_mismatch_is_said_at_its_place(formula, declared, said, column):
    (warning,) = check_units(parse(formula), declared, LINES, COUNTERS)
    assert re.search(said, warning.sentence)
    assert warning.spot.column == column


def test_a_mismatch_warns_and_computes_all_the_same():
    plan = plan_of(
        assumption("kits", 2, unit="kits"),
        assumption("sales", 3, unit="EUR"),
        calculated("odd", "kits + sales", unit="EUR"),
    )
    assert set(plan.warnings) == {"odd"}
    assert plan.problems == {}


def test_the_demo_and_its_schedules_fit(demo_plan):
    assert demo_plan.warnings == {}


def test_a_plural_of_the_models_own_is_one_unit_with_its_word_for_one():
    model = plan_of(
        assumption("boxes_sold", 10, unit="boxes"),
        assumption("price", 5, unit="EUR/box"),
        calculated("sales", "boxes_sold * price", unit="EUR"),
    ).model
    assert compile_model(model).warnings["sales"][0].sentence.startswith("This gives EUR boxe/box")
    assert compile_model(replace(model, units=(UnitForm("boxes", "box"),))).warnings == {}


@pytest.mark.parametrize(
    ("text", "same"),
    [("boxes", "box"), ("EUR/box", "EUR/box"), ("boxes/shelf", "box/shelf"), ("gearboxes", "gearboxes")],
)
def test_words_for_many_become_the_word_for_one_and_nothing_else_does(text, same):
    assert in_ones(text, [UnitForm("boxes", "box"), UnitForm("kits", decimals=1)]) == same


@pytest.mark.parametrize(
    ("form", "said"),
    [({"many": " "}, "needs its word"), ({"many": "boxes", "one": "box/x"}, "a word each"),
     ({"many": "boxes", "decimals": 7}, "0 to 6 decimals"), ({"many": "boxes", "decimals": -1}, "0 to 6 decimals")],
)  # fmt: skip
def test_forms_that_are_none_are_refused(form, said):
    with pytest.raises(InvalidModel, match=said):
        UnitForm(**form)
