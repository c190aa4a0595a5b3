"""Every schedule in the registry against the same checks."""

from importlib.resources import files

import numpy as np
import pytest

from tests.core.finance.sample import ASSETS, CONTRACTS, OVER_TEAMS, SEATS, TEAMS, bare, example, schedule
from tests.kit.small import REGION, company, given, series
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.finance.assemble import write_schedules
from widefork.core.finance.schedules import SCHEDULES, SettingKind
from widefork.core.finance.statements import CHECKS
from widefork.core.graph.model import ScheduleSettings

CASES = [(kind.name, setting, word) for kind in SCHEDULES for setting in kind.settings for word, _ in setting.choices]
RUNS = [(name, setting.key, word) for name, setting, word in CASES if setting.kind is SettingKind.CHOICE]


def assert_ties(plan, batch=((),)):
    results = evaluate(plan, batch)
    size = max(1.0, float(np.abs(results.values("total_assets")).max()))
    for check in CHECKS:
        assert np.abs(results.values(check)).max() < 1e-9 * size, check
    return results


@pytest.mark.parametrize("kind", SCHEDULES.names)
def test_every_schedule_computes_ties_and_explains_itself(kind):
    plan = example(kind)
    assert not plan.problems
    assert not plan.warnings
    assert_ties(plan)
    assert SCHEDULES[kind].summary.endswith(".")
    folder = type(SCHEDULES[kind]).__module__.rpartition(".")[0]
    topic = "trade_terms" if kind in ("receivables", "payables") else kind
    assert len(files(folder).joinpath(topic, "help.md").read_text("utf-8")) > 100


@pytest.mark.parametrize("kind", SCHEDULES.names)
def test_what_is_usual_lies_within_what_is_allowed_and_what_is_needed_is_not_hidden(kind):
    for setting in SCHEDULES[kind].settings:
        bounds = [bound for bound in (setting.least, setting.most) if bound is not None]
        if isinstance(setting.default, int | float) and not isinstance(setting.default, bool) and bounds:
            assert setting.least is None or setting.least <= setting.default, setting.key
            assert setting.most is None or setting.default <= setting.most, setting.key
        assert not (setting.is_required and setting.is_rare), setting.key
        assert setting.when is None or setting.when[0] in {other.key for other in SCHEDULES[kind].settings}, setting.key


MORE = {
    ("receivables", "shares"): {"share_0": 0.4, "share_2": 0.6},
    ("payables", "shares"): {"share_1": 1},
    ("receivables", "percent"): {"percent": 0.7},
    ("payables", "percent"): {"percent": 0.7},
    ("loan", "added"): {"holiday_from": "2026-05"},
    ("loan", "later"): {"holiday_from": "2026-05"},
    ("loan", "fewer"): {"early": {"one_off": {"2026-06": 2000}}},
    ("loan", "bullet"): {"balloon": 0},
}


@pytest.mark.parametrize(("kind", "key", "word"), RUNS)
def test_every_choice_computes_and_ties(kind, key, word):
    plan = example(kind, schedule("fixed_assets", "machines"), **{key: word, **MORE.get((kind, word), {})})
    assert not plan.problems
    assert not plan.warnings
    assert_ties(plan)


@pytest.mark.parametrize("kind", SCHEDULES.names)
def test_every_balance_is_its_opening_and_its_movements(kind):
    plan = example(kind)
    results = evaluate(plan)
    drafts = write_schedules(plan.model)
    assert [draft.given.name for draft in drafts] == ["it"]
    for roll in drafts[0].rolls:
        moved = sum(results.values(name) for name in roll.adds) - sum(results.values(name) for name in roll.takes)
        opening = plan.model.line(roll.balance).opening
        np.testing.assert_allclose(results.values(roll.balance), opening + np.cumsum(moved, axis=0), atol=1e-6)
    balances = {line.name for line in drafts[0].lines if line.posts_to and line.opening}
    assert balances <= {name for draft in drafts for roll in draft.rolls for name in (roll.balance,)} | {
        "it_short", "it_long", "it_drawn",
    }  # fmt: skip


def put_off_from(plan, line, share, month, upto=0):
    months = plan.model.timeline.months
    return Change(line, Operation.DEFER, share, (), months[month], months[upto or month], catch_up_months=2)


SETTLEMENTS = {
    "receivables": "it_collected", "payables": "it_paid", "accrued_costs": "it_paid", "payroll": "it_charges_paid",
    "sales_tax": "it_paid", "income_tax": "it_paid",
}  # fmt: skip


@pytest.mark.parametrize(("kind", "settlement"), SETTLEMENTS.items())
def test_a_settlement_put_off_stays_owed_and_everything_ties(kind, settlement):
    plan = example(kind)
    put_off = put_off_from(plan, settlement, 0.5, 12, 16)
    results = assert_ties(plan, [(), [put_off]])
    profit = results.values("net_profit")
    if kind != "loan":  # what a loan owes longer bears interest
        np.testing.assert_allclose(profit[:, 0], profit[:, 1])
    moved = results.values("cash")[:, 1] - results.values("cash")[:, 0]
    assert np.abs(moved).max() > 0


@pytest.mark.parametrize("kind", SCHEDULES.names)
def test_every_setting_refuses_what_it_cannot_take(kind):
    for setting in SCHEDULES[kind].settings:
        wrong = {SettingKind.MONTH: [1], SettingKind.TEXT: "no. 1"}.get(setting.kind, "nonsense")
        with pytest.raises(InvalidModel) as fault:
            example(kind, **{setting.key: wrong})
        assert fault.value.place.startswith(f"schedules/it/{setting.key}")
        if setting.is_required:
            without = {key: value for key, value in SCHEDULES[kind].example.items() if key != setting.key}
            lines = (given("fees", 300), given("retainers", 400), *OVER_TEAMS)
            with pytest.raises(InvalidModel, match=setting.label):
                company(bare(kind, **without), lines=lines, more_dimensions=(ASSETS, CONTRACTS, TEAMS, SEATS))


def test_bounds_say_what_they_are_and_where_they_are_crossed():
    steps = {"steps": {"2026-01": 100, "2026-04": -5000}}
    with pytest.raises(InvalidModel, match=r"Limit needs to be at least 0; it is -5,000 in Apr 26\."):
        example("overdraft", limit=steps)
    with pytest.raises(InvalidModel, match=r"Rate needs to be at most 100 %; it is 2500 % in Jan 26\."):
        example("income_tax", rate=25)
    with pytest.raises(InvalidModel, match="whole number from 1 for life in months; got 0"):
        example("fixed_assets", life_months=0)
    with pytest.raises(InvalidModel, match="whole number from 1 for months until repaid; got 0"):
        example("loan", term_months=0)


def test_unknown_schedules_and_settings_name_the_nearest():
    with pytest.raises(InvalidModel, match="Did you mean loan"):
        company(ScheduleSettings("lone", "it", "It", {}))
    with pytest.raises(InvalidModel, match="Did you mean term_months"):
        company(schedule("loan", term_month=3))
    with pytest.raises(InvalidModel, match="kept for what is paid in the month"):
        company(schedule("loan", "settled"))


@pytest.mark.parametrize(("kind", "key"), [("loan", "drawn_in"), ("lease", "begins"), ("accrued_costs", "first_paid")])
def test_what_began_before_the_model_is_given_as_an_opening(kind, key):
    with pytest.raises(InvalidModel, match=r"Nov 25 lies before the first month, Jan 26\. Give") as fault:
        example(kind, **{key: "2025-11"})
    assert fault.value.place == f"schedules/it/{key}"


def test_equipment_is_taxed_once():
    one = schedule("sales_tax", "one", on_equipment="taxed")
    other = bare("sales_tax", "other", rate=0.1, on_equipment="taxed")
    with pytest.raises(InvalidModel, match="taxes the equipment bought already"):
        company(one, other, schedule("fixed_assets"))


def test_what_is_settled_is_earned_or_charged():
    fees = given("fees", 5, unit="EUR")
    with pytest.raises(InvalidModel, match="neither earned nor charged"):
        company(bare("receivables", of=["fees"], days=5), lines=(fees,))
    plan = company(
        bare("receivables", of=["fees"], days=5), bare("prepaid_billing", "ahead", of=["fees"]), lines=(fees,)
    )
    assert_ties(plan)
    interest = given("fees", 5, unit="EUR", posts_to="interest_expense")
    with pytest.raises(InvalidModel, match="neither earned nor charged"):
        company(bare("payables", of=["fees"], days=5), lines=(interest,))


def test_a_line_is_settled_once():
    with pytest.raises(InvalidModel, match="sales is settled by Here already"):
        company(schedule("receivables", "here"), schedule("receivables", "there"))


def test_a_line_spread_over_members_posts_its_sum():
    plan = company(lines=(given("kits", 5, over=(REGION.name,), posts_to="revenue"),))
    assert series(plan, "revenue")[0] == 1015


def test_posting_to_an_unknown_caption_names_the_nearest():
    with pytest.raises(InvalidModel, match="Did you mean revenue"):
        company(lines=(given("kits", 5, posts_to="revenues"),))


def test_what_nothing_settles_is_paid_in_its_month_and_can_be_put_off():
    plan = company()
    put_off = put_off_from(plan, "settled_costs", 1.0, 2)
    assert series(plan, "settled_costs", changes=[put_off])[:5] == [600, 600, 0, 900, 900]
    assert series(plan, "other_liabilities", changes=[put_off])[:5] == [0, 0, 600, 300, 0]
    assert series(plan, "net_profit", changes=[put_off]) == [400] * 24
    assert_ties(plan, [[put_off]])
