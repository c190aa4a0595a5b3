import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.rules import RULES, read_rule, read_words, refit, write_rule

TIMELINE = Timeline(Month(2026, 1), 36, 1, Month(2026, 6))
EXAMPLES = {
    "flat": 46,
    "growth": {"base": 100, "rate": 0.06, "pace": "once a year", "since": "2027-01"},
    "steps": {"2026-01": 5, "2026-11": 6},
    "by_year": {2026: 24.9, 2027: 25.9},
    "by_quarter": {"2026Q1": 24.9, "2026Q3": 25.9},
    "totals": {"of": {"FY2026": 12000, "2027Q1": 3000}, "spread": "by days"},
    "seasonal": {"totals": {2026: 120000}, "shape": [8, 7, 8, 8, 9, 9, 10, 9, 8, 8, 7, 9]},
    "one_off": {"2026-11": 48000},
    "points": {"2026-01": 10, "2026-07": 40},
    "every": {"amount": 18000, "months": 12, "since": "2026-03"},
    "monthly": {"start": "2026-03", "amounts": [1, 2, 3]},
    "forecast": {
        "name": "Usual",
        "by": "Level, trend and season",
        "known": 42,
        "season": 2,
        "start": "2026-07",
        "amounts": [1, 2, 3],
    },
}


def rule(name):
    return read_rule(RULES, {name: EXAMPLES[name]})


def test_every_rule_has_an_example_here():
    assert set(EXAMPLES) == set(RULES.names)


@pytest.mark.parametrize("name", RULES.names)
def test_every_rule_reads_back_what_it_writes(name):
    assert read_rule(RULES, write_rule(RULES, rule(name))) == rule(name)


@pytest.mark.parametrize("name", RULES.names)
def test_every_rule_gives_a_value_for_each_month_and_says_itself(name):
    assert rule(name).values(TIMELINE).shape == (36,)
    assert rule(name).words(lambda value: f"{value:g}")


@given(
    st.sampled_from(RULES.names),
    st.integers(0, 35),
    st.integers(0, 35),
    st.floats(-1e6, 1e6, allow_nan=False),
)
def test_refitting_gives_exactly_the_edited_months(name, one, two, value):
    values = rule(name).values(TIMELINE).copy()
    values[min(one, two) : max(one, two) + 1] = value
    assert np.array_equal(refit(rule(name), TIMELINE, values).values(TIMELINE), values)


def test_a_price_edited_once_still_reads_as_a_phrase():
    values = rule("growth").values(TIMELINE).copy()
    values[14:] = 120
    assert (
        refit(rule("growth"), TIMELINE, values)
        .words(lambda v: f"{v:g}")
        .startswith("100 from Jan 26, then 106 from Jan 27, then 120 from Mar 27")
    )


def read_amount(text):
    return float(text.replace(",", ""))


@pytest.mark.parametrize("name", RULES.names)
def test_every_rule_reads_back_from_its_words(name):
    assert read_words(RULES, rule(name).words(lambda v: f"{v:,.10g}"), read_amount) == rule(name)


@pytest.mark.parametrize("kind", RULES, ids=lambda kind: kind.name)
def test_every_rules_example_is_of_its_kind(kind):
    assert isinstance(read_words(RULES, kind.example, read_amount), kind.rule)


@pytest.mark.parametrize(
    ("phrase", "document"),
    [
        ("46", 46),
        ("5, then 6", None),
        ("1,200 from Jan 2026, 1,300 from Mar 2027", {"steps": {"2026-01": 1200, "2027-03": 1300}}),
        ("10 growing -2 % each month from Jul 26", None),
        ("straight up", None),
        ("", None),
    ],
)
def test_phrases_are_read_or_answered_with_examples(phrase, document):
    if document is None and "growing" not in phrase:
        with pytest.raises(InvalidValue, match=r"is no rule\. Write one like “flat 46\.00”"):
            read_words(RULES, phrase, read_amount)
    elif document is not None:
        assert read_words(RULES, phrase, read_amount) == read_rule(RULES, document)
    else:
        assert read_words(RULES, phrase, read_amount).rate == -0.02


@pytest.mark.parametrize("said", ["a year, smoothly", "a year smoothly", "by the year, month by month"])
def test_smooth_growth_has_a_plain_word_and_the_earlier_one_is_read(said):
    smooth = read_words(RULES, f"100 rising 6 % {said} from Feb 26", read_amount)
    assert smooth.values(TIMELINE)[12] == pytest.approx(106)
    assert smooth.words(lambda v: f"{v:g}") == "100 growing 6 % a year, smoothly from Feb 26"
    assert smooth == read_rule(RULES, {"growth": {"base": 100, "rate": 0.06, "pace": said, "since": "2026-02"}})


def test_a_straight_line_runs_between_its_points():
    assert rule("points").values(TIMELINE)[:8].tolist() == [10, 15, 20, 25, 30, 35, 40, 40]
    assert rule("every").values(TIMELINE).nonzero()[0].tolist() == [2, 14, 26]


def test_yearly_steps_and_smooth_growth_differ():
    # constructed: price 100, +6 % a year for 24 months at 10 units; closed form by a loop
    timeline = Timeline(Month(2026, 1), 24)
    step = read_rule(RULES, {"growth": {"base": 100, "rate": 0.06, "pace": "once a year", "since": "2027-01"}})
    smooth = {"growth": {"base": 100, "rate": 0.06, "pace": "by the year, month by month", "since": "2026-02"}}
    smooth_values = read_rule(RULES, smooth).values(timeline)
    assert step.values(timeline).sum() * 10 == pytest.approx(24720, rel=1e-9)
    assert smooth_values.sum() * 10 == pytest.approx(25392.64838459657, rel=1e-9)
    assert [step.values(timeline)[12], smooth_values[12]] == pytest.approx([106, 106], rel=1e-9)


def test_seasonal_weights_spread_the_year_exactly():
    # constructed: weights adding to 100, yearly total 120,000
    months = rule("seasonal").values(TIMELINE)[:12]
    assert months.tolist() == pytest.approx(
        [9600, 8400, 9600, 9600, 10800, 10800, 12000, 10800, 9600, 9600, 8400, 10800], abs=1e-9
    )


@pytest.mark.parametrize(
    ("document", "said"),
    [
        ("ninety", "Expected a number or one rule"),
        ({"flat": "ninety"}, "Expected a number for a flat value"),
        ({"growth": {"base": 1, "rate": -1, "since": "2026-01"}}, "above −100 %"),
        ({"growth": {"base": 1, "rate": 0.1, "pace": "weekly", "since": "2026-01"}}, "The pace is one of"),
        ({"steps": {}}, "Expected a step by month"),
        ({"steps": {"soon": 1}}, "A month is written like"),
        ({"by_year": {"26th": 1}}, "four digits"),
        ({"seasonal": {"totals": {2026: 1}, "shape": [1, 2]}}, "12 weights"),
        ({"seasonal": {"totals": {2026: 1}, "shape": [0] * 12}}, "at least one is above 0"),
        ({"monthly": {"start": "2026-01", "amounts": []}}, "list of amounts"),
        ({"every": {"amount": 1, "months": 0, "since": "2026-01"}}, "whole number from 1"),
    ],
)
def test_rules_that_cannot_be_read_say_what_was_expected(document, said):
    with pytest.raises(InvalidModel, match=said):
        read_rule(RULES, document)


@pytest.mark.parametrize("by", ["evenly", "by days", [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11]])
@given(amounts=st.lists(st.floats(-1e9, 1e9), min_size=3, max_size=3), opens=st.integers(1, 12))
def test_totals_add_up_whatever_they_are_spread_by(by, amounts, opens):
    year, first, second = amounts
    timeline = Timeline(Month(2025, 1), 60, opens)
    rule = read_rule(RULES, {"totals": {"of": {"FY2027": year, "2028Q1": first, "2028Q3": second}, "spread": by}})
    values = dict(zip(timeline.months, rule.values(timeline).tolist(), strict=True))

    def total(year, quarters):
        return sum(v for m, v in values.items() if timeline.fiscal_quarter(m) in [(year, q) for q in quarters])

    assert total(2027, (1, 2, 3, 4)) == pytest.approx(year, rel=1e-15, abs=1e-300)
    assert total(2028, (1,)) == pytest.approx(first, rel=1e-15, abs=1e-300)
    assert total(2028, (3,)) == pytest.approx(second, rel=1e-15, abs=1e-300)
    assert total(2028, (2, 4)) == total(2026, (1, 2, 3, 4)) == 0


def test_days_share_a_quarter_out_as_the_calendar_has_them():
    """31, 28 and 31 of 90 days: common practice."""
    values = read_rule(RULES, {"totals": {"of": {"2026Q1": 9000}, "spread": "by days"}}).values(TIMELINE)
    assert values[:4].tolist() == [3100, 2800, 3100, 0]


def test_a_year_the_timeline_cuts_keeps_the_shares_of_the_months_it_has():
    timeline = Timeline(Month(2026, 10), 4)
    assert read_rule(RULES, {"totals": {"of": {"FY2026": 1200}}}).values(timeline).tolist() == [100, 100, 100, 0]


@pytest.mark.parametrize(
    "document",
    [
        {"by_quarter": {"2026": 1}},
        {"totals": {"of": {"2026": 1}}},
        {"totals": {"of": {"FY2026": 1, "2026Q2": 1}}},
        {"totals": {"of": {"FY2026": 1}, "spread": "weekly"}},
        {"totals": {"of": {"FY2026": 1}, "spread": [0] * 12}},
    ],
)
def test_periods_and_spreads_that_cannot_be_are_said(document):
    with pytest.raises(InvalidModel, match=r"written like|give the one|spread|at least one"):
        read_rule(RULES, document)
