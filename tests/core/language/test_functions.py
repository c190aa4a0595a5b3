import numpy as np
import numpy_financial as npf
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.small import calculated, given, plan_of, series
from widefork.core.axes import Dimension
from widefork.core.engine import evaluate, with_machine
from widefork.core.errors import FormulaError, InvalidModel
from widefork.core.graph.calculate import evaluate_plainly
from widefork.core.graph.model import Profile
from widefork.core.graph.plan import check_model
from widefork.core.language.check import Scope, check_formula
from widefork.core.language.functions import FUNCTIONS
from widefork.core.language.parse import parse

RAMP = Profile("ramp", "Ramp", (0.2, 0.5, 1.0))


class AnyName(dict):
    def __contains__(self, name):
        return name not in FUNCTIONS and name not in ("ramp", "staying", "reach", "region", "customer")

    def __getitem__(self, name):
        return {"kits": ("region",), "price": ("region",), "customer_sales": ("customer",)}.get(name, ())


@pytest.mark.parametrize("function", FUNCTIONS, ids=lambda function: function.name)
def test_every_function_has_a_working_example_and_help(function):
    members = {"region": ("Coast",), "customer": ("Aldmoor",)}
    maps = frozenset({("customer", "region")})
    scope = Scope(AnyName(), members, frozenset(), frozenset({"ramp", "staying", "reach"}), maps)
    check_formula(parse(function.example), function.example, scope, ("region", "customer"))
    assert function.name in function.example
    assert function.summary.endswith((".", "0."))


def test_ramped_cohorts():
    # constructed: joins 10, 10, 20, ramp 20 %, 50 %, then 100 %; numpy.convolve
    plan = plan_of(
        given("joins", {"monthly": {"start": "2026-01", "amounts": [10, 10, 20, 0]}}),
        calculated("effective", "ramped(joins, ramp)"),
        calculated("heads", "running_total(joins)"),
        profiles=(RAMP,),
    )
    assert series(plan, "effective") == pytest.approx([2, 7, 19, 30, 40, 40], abs=1e-12)
    assert series(plan, "heads") == [10, 20, 40, 40, 40, 40]


@forall(st.floats(0, 0.3), st.integers(1, 120), st.floats(1, 1e6))
def test_level_payment_agrees_with_numpy_financial(yearly_rate, months, principal):
    plan = plan_of(calculated("payment", f"level_payment({principal:.6f}, {yearly_rate:.9f} / 12, {months})"))
    expected = -npf.pmt(round(yearly_rate, 9) / 12, months, round(principal, 6))
    assert series(plan, "payment")[0] == pytest.approx(expected, rel=1e-7)


def test_what_stays_of_what_joined():
    # constructed: new customers 100, 120, 150; 100, 80, 70, 65 % stay; numpy.convolve
    plan = plan_of(
        given("joins", {"monthly": {"start": "2026-01", "amounts": [100, 120, 150, 0]}}),
        calculated("active", "surviving(joins, staying)"),
        profiles=(Profile("staying", "Staying", (1.0, 0.8, 0.7, 0.65)),),
    )
    assert series(plan, "active")[:4] == pytest.approx([100, 200, 316, 269], abs=1e-9)


def test_a_yearly_share_compounds_from_its_monthly_one():
    # common practice: 30 % a year is 2.93 % a month
    plan = plan_of(given("yearly", 0.3), calculated("monthly", "monthly_share(yearly)"))
    monthly = series(plan, "monthly")[0]
    assert monthly == pytest.approx(0.029285530376777665, abs=1e-10)
    assert (1 - monthly) ** 12 == pytest.approx(0.7)
    assert np.isnan(series(plan_of(calculated("odd", "monthly_share(1.2)")), "odd")).all()


def test_equal_charges_of_purchases_add_up_like_a_staircase():
    # constructed: 3,600 in each of 12 months over 36 months, charged from the month of purchase
    plan = plan_of(
        given("spent", {"steps": {"2026-01": 3600, "2027-01": 0}}),
        calculated("charge", "straight_line(spent, 36)"),
        calculated("direct", "trailing(spent, 36) / 36"),
        months=49,
    )
    charge = series(plan, "charge")
    assert charge[:13] == pytest.approx([100 * n for n in range(1, 13)] + [1200])
    assert charge[35:49] == pytest.approx([1200 - 100 * n for n in range(13)] + [0])
    assert charge == pytest.approx(series(plan, "direct"))


def test_a_change_fades_in_by_its_profile_and_keeps_a_steady_value():
    plan = plan_of(
        given("spend", {"steps": {"2026-01": 10, "2026-03": 20}}, opening=10.0),
        calculated("felt", "fading_in(spend, reach)"),
        profiles=(Profile("reach", "Reach", (0.5, 0.8, 1.0)),),
    )
    assert series(plan, "felt") == pytest.approx([10, 10, 15, 18, 20, 20])


def test_interest_is_a_twelfth_of_the_nominal_rate():
    # numpy-financial 1.0.0, docstring of ipmt: 2,500 at 8.24 %, first month 17.17
    assert series(plan_of(calculated("i", "interest_on(2500, 8.24 %)")), "i")[0] == pytest.approx(17.17, abs=0.005)


def test_the_mean_of_the_last_months():
    plan = plan_of(
        given("x", {"monthly": {"start": "2026-01", "amounts": [3, 6, 9, 12, 15, 18]}}),
        calculated("m", "trailing_mean(x, 3)"),
    )
    assert series(plan, "m") == [1, 3, 6, 9, 12, 15]


def test_level_payment_published():
    # numpy-financial 1.0.0, docstring of pmt: 200,000 at 7.5 % over 180 months
    plan = plan_of(calculated("payment", "level_payment(200000, 7.5 % / 12, 180)"))
    assert series(plan, "payment")[0] == pytest.approx(1854.0247200054619, abs=1e-8)


def test_days_outstanding_count_back_over_months():
    # common practice, 30-day months: 36 days of a flat 80,000 are 96,000
    plan = plan_of(given("flow", 80000, history=(80000.0,)), calculated("open", "outstanding(flow, 36)"))
    assert series(plan, "open")[0] == pytest.approx(96000, abs=1e-9)


def test_time_functions_month_by_month():
    plan = plan_of(
        given("x", {"monthly": {"start": "2026-01", "amounts": [1, 2, 3, 4, 5, 6]}}, history=(8.0, 9.0), opening=7.0),
        calculated("last", "before(x)"),
        calculated("older", "before(x, 3)"),
        calculated("recent", "trailing(x, 3)"),
        calculated("so_far", "year_to_date(x)"),
    )
    assert series(plan, "last") == [9, 1, 2, 3, 4, 5]
    assert series(plan, "older") == [7, 8, 9, 1, 2, 3]
    assert series(plan, "recent") == [18, 12, 6, 9, 12, 15]
    assert series(plan, "so_far") == [1, 3, 6, 10, 15, 21]


@forall(st.lists(st.floats(-1e6, 1e6), min_size=6, max_size=6))
def test_looking_back_on_an_expression_is_the_expression_looked_back_on(amounts):
    plan = plan_of(
        given("x", {"monthly": {"start": "2026-01", "amounts": amounts}}),
        calculated("double", "x * 2"),
        calculated("direct", "before(x * 2)"),
        calculated("through", "before(double)"),
        calculated("total", "running_total(x * 2)"),
        calculated("total_through", "running_total(double)"),
    )
    assert series(plan, "direct") == series(plan, "through")
    assert series(plan, "total") == series(plan, "total_through")


def test_members_are_summed_averaged_and_shared():
    plan = plan_of(
        given("kits", {("Coast",): 1, ("Valley",): 2, ("Upland",): 5}, over=("region",)),
        calculated("all_kits", "sum_over(kits, region)"),
        calculated("mean_kits", "mean_over(kits)"),
        calculated("share", "share_over(kits)", over=("region",)),
        calculated("coast", "kits at Coast"),
    )
    assert [series(plan, n)[0] for n in ("all_kits", "mean_kits", "coast")] == pytest.approx([8, 8 / 3, 1])
    assert [series(plan, "share", (m,))[0] for m in ("Coast", "Valley", "Upland")] == [0.125, 0.25, 0.625]


CUSTOMERS = Dimension(
    "customer",
    ("Aldmoor", "Birk", "Cray"),
    attributes={"Aldmoor": {"region": "Valley"}, "Birk": {"region": "Coast"}, "Cray": {"region": "Valley"}},
)


def by_customer(*lines, **more):
    sales = {("Aldmoor",): 10, ("Birk",): 20, ("Cray",): 40}
    return plan_of(given("sales", sales, over=("customer",)), *lines, more_dimensions=(CUSTOMERS,), months=2, **more)


def test_customers_are_summed_by_their_region_and_given_its_price():
    plan = by_customer(
        given("price", {("Coast",): 3, ("Valley",): 2, ("Upland",): 9}, over=("region",)),
        calculated("by_region", "sum_by(sales, region)", over=("region",)),
        calculated("own_price", "spread_to(price, customer)", over=("customer",)),
        calculated("value", "sum_over(sales * spread_to(price, customer))"),
        calculated("same", "sum_over(sum_by(sales, region) * price)"),
    )
    assert plan.problems == {}
    assert [series(plan, "by_region", (r,))[0] for r in ("Coast", "Valley", "Upland")] == [20, 50, 0]
    assert [series(plan, "own_price", (c,))[0] for c in CUSTOMERS] == [2, 3, 2]
    assert series(plan, "value") == series(plan, "same") == [160, 160]


def test_mappings_that_are_not_there_are_said():
    plan = by_customer(
        calculated("odd", "sum_by(sum_over(sales), region)"), calculated("two", "spread_to(sales, region)")
    )
    assert "The value is spread over no dimension" in plan.problems["odd"].sentence
    assert "give the members of one an attribute named like the other" in plan.problems["two"].sentence


@pytest.mark.parametrize(
    ("attributes", "said"),
    [
        ({"Aldmoor": {"region": "Cost"}}, "Did you mean Coast"),
        ({"Aldmoor": {"region": "Coast"}}, "Birk have no region"),
    ],
)
def test_a_mapping_names_every_member_or_is_refused(attributes, said):
    dimension = Dimension("customer", ("Aldmoor", "Birk"), attributes=attributes)
    with pytest.raises(InvalidModel, match=said):
        plan_of(given("x", 1), more_dimensions=(dimension,))


def whole_parts(values):
    members = tuple(f"m{i:02d}" for i in range(len(values)))
    plan = plan_of(
        given("x", {(m,): v for m, v in zip(members, values, strict=True)}, over=("many",)),
        calculated("w", "whole_parts(x, many)", over=("many",)),
        months=1,
        more_dimensions=(Dimension("many", members),),
    )
    return evaluate(plan).values("w")[:, 0, 0].tolist()


@pytest.mark.parametrize(
    ("values", "parts"),
    [
        # the usual encyclopaedia example, from memory: votes for 10 seats
        ([4.7, 1.6, 1.59, 1.2, 0.6, 0.31], [5, 2, 1, 1, 1, 0]),
        # constructed: cents in thirds, and whole percents; ties go to the first
        ([10000 / 3] * 3, [3334, 3333, 3333]),
        ([-10000 / 3] * 3, [-3334, -3333, -3333]),
        ([2.5, 2.5], [3, 2]),
        ([100 / 13, 200 / 13, 300 / 13, 700 / 13], [8, 15, 23, 54]),
        ([0.1 * 3, 2.9999999999], [0, 3]),
    ],
)
def test_whole_parts_add_up_to_the_rounded_whole(values, parts):
    assert whole_parts(values) == parts


def test_whole_parts_of_a_census():
    # Hamilton's method on the census of 1790, 120 seats (Balinski & Young, Fair Representation; from memory)
    census = [
        236841,
        55540,
        70835,
        68705,
        278514,
        475327,
        141822,
        179570,
        331589,
        353523,
        432879,
        68446,
        206236,
        85533,
        630560,
    ]
    seats = [8, 2, 2, 2, 9, 16, 5, 6, 11, 12, 14, 2, 7, 3, 21]
    assert whole_parts([people * 120 / sum(census) for people in census]) == seats


@forall(st.lists(st.floats(-1e5, 1e5), min_size=1, max_size=6))
def test_whole_parts_stay_within_one_and_keep_the_total(values):
    parts = whole_parts(values)
    assert all(abs(part - value) <= 1 + 1e-6 for part, value in zip(parts, values, strict=True))
    assert abs(sum(parts) - sum(values)) <= 0.5 + 1e-6
    assert all(part == int(part) for part in parts)


def test_rounding_goes_away_from_zero_at_halves():
    plan = plan_of(
        calculated("r", "round(-2.5) + round(2.345, 2) * 0"),
        calculated("d", "round_down(-1.5)"),
        calculated("u", "round_up(1.2)"),
    )
    assert [series(plan, name)[0] for name in "rdu"] == [-3, -2, 2]


@pytest.mark.parametrize(
    ("formula", "said"),
    [
        ("kitz * 2", "Did you mean kits"),
        ("befor(kits)", "Did you mean before"),
        ("before", "is a function and needs brackets"),
        ("ramp * 2", "is a profile"),
        ("before(kits, months)", "whole number from 1|There is no"),
        ("before(sales, 0)", "whole number from 1"),
        ("max()", "is written max"),
        ("ramped(sales, kits)", "a profile's name"),
        ("sum_over(sales, region)", "not spread over region"),
        ("sum_over(kits, regions)", "Expected a dimension"),
        ("kits at Cost", "Did you mean Coast"),
        ("sales at Coast", "picks nothing"),
        ("kits * 2", "gives a value for each region"),
    ],
)
def test_formulas_that_make_no_sense_say_so_at_their_place(formula, said):
    lines = (given("kits", 1, over=("region",)), given("sales", 2), calculated("wrong", formula))
    plan = plan_of(*lines, profiles=(RAMP,))
    with pytest.raises(FormulaError, match=said):
        check_model(plan.model)
    assert "wrong" in plan.problems
    assert np.isnan(series(plan, "wrong")).all()


@forall(st.lists(st.floats(-50, 50), min_size=1, max_size=30))
def test_whole_flows_keep_the_rounded_total_of_every_stretch_from_the_start(flows):
    """What a month leaves over waits for the next, so that no person is lost to rounding."""
    plan = plan_of(
        given("won", {"monthly": {"start": "2026-01", "amounts": flows}}),
        calculated("whole", "whole_flow(won)"),
        months=len(flows),
    )
    whole = np.array(series(plan, "whole"))
    assert np.array_equal(whole, np.round(whole))
    assert np.abs(whole.cumsum() - np.array(flows).cumsum()).max() <= 0.5 + 1e-6


def test_a_third_of_a_customer_a_month_is_one_every_third_month():
    plan = plan_of(given("won", 1 / 3), calculated("whole", "whole_flow(won)"), months=9)
    assert series(plan, "whole") == [0, 1, 0, 0, 1, 0, 0, 1, 0]


def test_looking_ahead_holds_the_last_month():
    plan = plan_of(
        given("sold", {"monthly": {"start": "2026-01", "amounts": [1, 2, 3, 4]}}),
        calculated("bought", "after(sold, 2) * 10"), calculated("next", "after(sold + 1) - before(sold)"),
        months=4,
    )  # fmt: skip
    assert series(plan, "bought") == [30, 40, 40, 40]
    assert series(plan, "next") == [3, 3, 3, 2]


def test_mappings_hold_where_a_register_has_one_member_only():
    seats = Dimension("seat", ("One",), attributes={"One": {"team": "Lab"}})
    people = Dimension("crew", ("Ada",), attributes={"Ada": {"team": "Lab"}})
    plan = plan_of(
        given("pay", {("Lab",): 10, ("Field",): 20}, ("team",)), given("share", {("One",): 2}, ("seat",)),
        calculated("each", "share * spread_to(pay, seat)", ("seat",)),
        calculated("all", "sum_by(share * spread_to(pay, seat), team)", ("team",)),
        more_dimensions=(Dimension("team", ("Lab", "Field")), seats, people),
    )  # fmt: skip
    for evaluated in (evaluate_plainly(plan), with_machine(plan)):
        assert evaluated.series("each", ("One",)).tolist() == [20] * 6
        assert evaluated.values("all")[..., 0].tolist() == [[20] * 6, [0] * 6]
