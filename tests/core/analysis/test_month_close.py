"""Books to figures: where accounts go, how signs are read, what is shared out, and what a trial leaves unexplained."""

from dataclasses import replace

import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.core.finance.sample import bare
from tests.kit.small import START, company, given
from widefork.core.analysis.month_close import (
    Entry,
    Nature,
    ages_of,
    guess,
    places_of,
    reconcile,
    take_books,
    trial_plan,
)
from widefork.core.analysis.month_close.reconcile import unexplained_of
from widefork.core.axes import Timeline
from widefork.core.closing import Closing
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.graph.model import Model
from widefork.core.lines import BALANCE, Rollup

FEBRUARY = START.plus(1)


def small(**more):
    """A company with customers on two terms, two loans, an overdraft and pay; January is actual."""
    return company(
        bare("receivables", "shops", of=["sales"], days=45, opening_balance=1500),
        bare("receivables", "towns", of=["fees"], days=60, opening_balance=600),
        bare("payables", "suppliers", of=["costs"], days=30, opening_balance=600),
        bare("loan", "bank", opening_balance=6000, rate=0.06, term_months=24),
        bare("loan", "family", opening_balance=2000, rate=0.0, term_months=20),
        bare("payroll", "wages", of=["pay"], charge_rate=0.2, opening_charges=40),
        bare("overdraft", "bank_line", limit=500, rate=0.1),
        lines=(
            given("fees", 300, unit="EUR", posts_to="revenue"),
            given("pay", 200, unit="EUR", posts_to="people_costs"),
            given("heads", {("Coast",): 1, ("Valley",): 3, ("Upland",): 0}, ("region",), unit="heads"),
        ),
        timeline=Timeline(START, 12, 1, START),
        opening_balances={"cash": 9000, "share_capital": 100, "retained_earnings": 2460 - 100},
        **more,
    )


def place(plan, label):
    return next(one for one in places_of(plan) if one.label == label)


def stored(plan) -> Model:
    """The model as it is stored: without the lines written for it."""
    own = tuple(line for line in plan.model.lines if not line.is_generated)
    sections = tuple(s for s in plan.model.sections if s.name == "all")
    return replace(plan.model, lines=own, sections=sections)


def taken(plan, **amounts):
    entries = [Entry(label, amount, place(plan, label)) for label, amount in amounts.items()]
    return take_books(entries, evaluate(plan), FEBRUARY)


def closed(plan, **amounts):
    said = taken(plan, **amounts)
    trial = trial_plan(stored(plan), Closing(FEBRUARY, said.figures), said.own)
    assert not trial.problems
    return reconcile(evaluate(trial), FEBRUARY), evaluate(trial)


def test_places_have_labels_no_two_share_and_each_resolves_to_itself():
    plan = small()
    labels = [one.label.lower() for one in places_of(plan)]
    assert len(set(labels)) == len(labels)
    known = [one.label for one in places_of(plan) if one.nature is not Nature.RATE]
    assert [guess(label, places_of(plan)).label for label in known] == known


@pytest.mark.parametrize(
    ("account", "label"),
    [
        ("Cash", "Cash"),
        ("1200 Receivables", "Receivables"),
        ("Receivables: shops", "Receivables: Shops"),
        ("Loans", "Loans"),
        ("Equity", "Equity, compared only"),
        ("Pay", "Pay"),
        ("Interest", "Interest, as a whole"),
    ],
)
def test_an_account_is_proposed_the_place_of_its_name(account, label):
    assert guess(account, places_of(small())).label == label


def test_a_price_is_never_proposed():
    plan = company(lines=(given("courier", 5, unit="EUR/kit"), given("courier_cost", 100, unit="EUR")))
    assert guess("Courier", places_of(plan)).name == "courier_cost"


def test_an_account_nothing_is_called_like_is_proposed_nothing():
    assert guess("Sundry items 4711", places_of(small())) is None


def test_a_side_written_with_a_minus_is_turned_and_a_credit_note_keeps_its_sign():
    plan = small()
    entries = [
        Entry("4000", -1200.0, place(plan, "Sales")),
        Entry("4009 credit notes", 50.0, place(plan, "Sales")),
        Entry("5000", 700.0, place(plan, "Costs")),
        Entry("2000", -650.0, place(plan, "Payables")),
        Entry("2900", -1700.0, place(plan, "Equity, compared only")),
        Entry("1000", 2350.0, place(plan, "Cash")),
    ]
    found = take_books(entries, evaluate(plan), FEBRUARY)
    assert found.own == {("sales", ()): 1150.0, ("costs", ()): 700.0}
    assert found.figures == {"suppliers_balance": 650.0, "cash": 2350.0}
    assert found.turned == {Nature.INCOME, Nature.OWED}
    assert (found.assets, found.owed, found.equity) == (2350.0, 650.0, 1700.0)


def test_a_whole_is_shared_out_as_the_plan_has_its_parts():
    plan = small()
    results = evaluate(plan)
    bank, family = (float(results.series(f"{name}_balance")[1]) for name in ("bank", "family"))
    found = taken(plan, Loans=8000.0, Heads=8.0)
    assert found.figures["bank_balance"] == pytest.approx(8000 * bank / (bank + family))
    assert sum(found.figures.values()) == pytest.approx(8000)
    assert found.own == {("heads", ("Coast",)): 2.0, ("heads", ("Valley",)): 6.0, ("heads", ("Upland",)): 0.0}
    assert set(found.shared) == {"Loans", "Heads"}


def test_a_balance_spread_over_members_is_shared_out_and_a_price_is_not():
    plan = company(
        lines=(
            given("users", {("Coast",): 10, ("Valley",): 30, ("Upland",): 0}, ("region",), unit="users",
                  rollup=BALANCE),
            given("price", 5, ("region",), unit="EUR/user", rollup=Rollup.default("EUR/user")),
        ),
        timeline=Timeline(START, 12, 1, START),
    )  # fmt: skip
    found = taken(plan, Users=80.0, Price=6.0)
    assert [found.own[("users", (member,))] for member in ("Coast", "Valley", "Upland")] == [20, 60, 0]
    assert found.own[("price", ())] == 6


@forall(st.floats(0, 1e6), st.lists(st.floats(0, 1e5), max_size=6))
def test_ages_add_up_to_the_balance_and_the_newest_invoices_come_first(balance, invoices):
    ages = ages_of(balance, invoices)
    assert sum(ages) == pytest.approx(balance, abs=1e-6)
    assert min(ages) >= 0
    if invoices:
        assert ages[-1] <= invoices[-1] or len(ages) == 1


def test_a_balance_is_explained_by_its_movements_and_the_rest_is_named():
    found, results = closed(small(), **{"Receivables: Shops": 1700.0, "Payroll liabilities": 100.0, "Cash": 8000.0})
    by_label = {row.label: row for row in found.balances}
    # what customers paid is opening plus invoiced less what is open, so nothing of it is unexplained
    assert by_label["Receivables: Shops"].unexplained == pytest.approx(0)
    # charges of 40 were paid and 40 charged; 60 more are owed
    assert by_label["Payroll liabilities: Wages"].unexplained == pytest.approx(60)
    assert by_label["Cash after overdraft"].closing == 8000
    assert by_label["Cash after overdraft"].unexplained == pytest.approx(found.unexplained)
    assert abs(results.values("balance_difference")).max() < 1e-6


def test_the_plan_goes_on_from_the_books_and_settles_what_was_unexplained():
    _, results = closed(small(), **{"Payroll liabilities": 100.0, "Cash": 8000.0, "Loans": 7000.0, "Overdraft": 300.0})
    at = FEBRUARY.ordinal - START.ordinal
    assert results.series("cash")[at] == 8000
    assert results.series("cash_after_overdraft")[at] == 7700
    assert results.series("wages_balance").tolist()[at : at + 2] == [100, pytest.approx(40)]
    owed = results.series("loans")
    assert owed[at] == pytest.approx(7000)
    assert owed[at + 1] < 7000
    assert owed[-1] >= 0


def test_open_invoices_run_off_by_their_age():
    # constructed: 45 days leave a month and a half of invoices open. Of 2,000 open at the end of February, 900 are of
    # February and run off half and half; 700 of January and 400 older are due in March.
    ages = {"shops": (400.0, 700.0, 900.0)}
    trial = trial_plan(stored(small()), Closing(FEBRUARY, {"shops_balance": 2000.0}, ages), {})
    results = evaluate(trial)
    assert results.series("shops_collected").tolist()[2:5] == pytest.approx([700 + 400 + 450, 500 + 450, 1000])
    assert results.series("shops_balance").tolist()[1:4] == pytest.approx([2000, 1000 + 450, 1500])
    assert [results.series(f"shops_open_{age}")[1] for age in (0, 1)] == pytest.approx([900, 700])


def test_a_caption_given_as_a_whole_leaves_what_its_lines_do_not_make():
    found, results = closed(small(), **{"Revenue, as a whole": 1450.0})
    assert [(row.label, row.moved, row.closing, row.unexplained) for row in found.income] == [
        ("Revenue", 1300, 1450, 150)
    ]
    assert results.series("revenue").tolist()[:3] == [1300, 1450, 1300]
    assert results.series("cash")[-1] > evaluate(small()).series("cash")[-1]


def test_a_balance_no_schedule_keeps_is_carried_on():
    found, results = closed(small(), **{"Prepaid costs": 120.0})
    assert results.series("prepaid_costs").tolist() == [0, *[120] * 11]
    assert found.balances[0].unexplained == 120
    assert abs(results.values("balance_difference")).max() < 1e-6


def test_books_of_a_line_the_model_never_had_are_refused():
    with pytest.raises(InvalidModel, match="Did you mean cash"):
        small(closings=(Closing(START, {"kash": 5.0}),))


def test_ages_below_zero_and_amounts_that_are_none_are_refused():
    with pytest.raises(InvalidModel, match="below zero"):
        Closing(START, {}, {"shops": (-1.0,)})
    with pytest.raises(InvalidModel, match="not a number"):
        Closing(START, {"cash": float("nan")})


def test_ages_pass_over_months_in_which_nothing_was_invoiced():
    # by hand: of 10.5 open, 4 of the newest month, 6 of the one before, none of the empty one, half of the oldest
    assert ages_of(10.5, (4, 0, 6, 4)) == (0.5, 0, 6, 4)
    assert ages_of(12, (1, 6, 4)) == (1, 1, 6, 4)


def test_a_trial_balance_says_its_signs_and_the_year_so_far_is_taken_down_to_the_month():
    """Constructed: January's plan is sales 1,000 and costs 600; by the end of February 2,300 and 1,150 were booked."""
    plan = small()
    by_label = {"Sales": -2300, "Costs": 1150, "Cash": 9500, "Payables": -600, "Equity, compared only": -7750}
    entries = [Entry(label, amount, place(plan, label)) for label, amount in by_label.items()]
    taken = take_books(entries, evaluate(plan), FEBRUARY, is_signed=True, is_to_date=True)
    assert taken.own == {("sales", ()): 1300, ("costs", ()): 550}
    assert (taken.assets, taken.owed, taken.equity) == (9500, 600, 7750)
    assert taken.difference == pytest.approx(0)
    short = take_books(entries[:-1], evaluate(plan), FEBRUARY, is_signed=True)
    assert short.difference == pytest.approx(7750)
    # A tax account in debit among what is owed stays below zero, and is not turned over.
    vat = take_books([Entry("VAT", 50, place(plan, "Payables"))], evaluate(plan), FEBRUARY, is_signed=True)
    assert vat.figures == {"suppliers_balance": -50}


@pytest.mark.parametrize(("equity", "difference"), [(8300, 0), (7600, 0), (8000, 300)])
def test_books_balance_with_the_years_profit_in_equity_or_beside_it(equity, difference):
    plan = small()
    by_label = {"Sales": 1300, "Costs": 600, "Cash": 9000, "Payables": 700, "Equity, compared only": equity}
    entries = [Entry(label, amount, place(plan, label)) for label, amount in by_label.items()]
    assert take_books(entries, evaluate(plan), FEBRUARY).difference == difference


@pytest.mark.parametrize(
    ("account", "name"),
    [
        ("1200 Trade debtors", "receivables"), ("Trade creditors", "payables"), ("Bank loan", "loans"),
        ("VAT", "sales_tax_payable"), ("Bank current account", "cash"), ("Accruals", "accrued_costs"),
        ("Corporation tax payable", "tax_payable"), ("Wages and salaries", "people_costs"),
    ],
)  # fmt: skip
def test_usual_names_of_accounts_are_known(account, name):
    found = guess(account, places_of(small()))
    assert (found.name, found.members) == (name, ()) or found.nature is Nature.COST
    assert guess("Called up share capital", places_of(small())).nature is Nature.EQUITY


def test_a_deposit_paid_from_the_bank_is_one_unexplained_movement():
    plan = small()
    cash = float(evaluate(plan).series("cash_after_overdraft")[1])
    closing = Closing(FEBRUARY, {"deposits": 500.0, "cash": cash - 500}, {}, {})
    results = evaluate(trial_plan(stored(plan), closing, {}))
    assert unexplained_of(results, FEBRUARY) == pytest.approx(500)
