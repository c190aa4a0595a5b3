"""What may drive a series: lines at its members, working days, events; and the formula of it in a plan."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import calculated, given, model_of
from widefork.core.analysis.trends import (
    Cause,
    CauseKind,
    Settings,
    cause_label,
    driver_of,
    explain,
    known_of,
    plan_formula,
    read_cause,
    working_days,
)
from widefork.core.axes import Month
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.graph.plan import compile_model
from widefork.core.history import History
from widefork.core.lines import NO_TOTAL

REGIONS = ("Coast", "Valley", "Upland")
FLOOD = Cause(CauseKind.EVENT, "Flood", months=(Month(2024, 9), Month(2026, 8)))
QUICK = Settings(horizon=10, without=("arima", "ets", "theta"))
PRICE = Cause(CauseKind.LINE, "price")


def shop(event=True, seed=2):
    """Kits by region since 2023, 1 % more price 1.5 % fewer, a flood takes 40 %; in July 26 the price rises."""
    random, places = np.random.default_rng(seed), np.arange(38)
    price = 50 * np.exp(random.normal(0, 0.12, 38))
    histories = [History("price", Month(2023, 1), tuple(price[:36].tolist()))]
    kits = {}
    for level, region in zip((900, 600, 300), REGIONS, strict=True):
        own = level * (1 + 0.2 * np.sin(2 * np.pi * places / 12)) * (price / 50) ** -1.5
        own *= np.exp(random.normal(0, 0.02, 38)) * np.where((places == 20) & event, 0.6, 1)
        kits[(region,)] = tuple(own[36:].tolist())
        histories.append(History("kits", Month(2023, 1), tuple(own[:36].tolist()), (("region", region),)))
    lines = (
        given("kits", 500, ("region",), unit="kits", actuals=kits),
        given("price", {"steps": {"2026-01": 50, "2026-07": 60}}, unit="EUR/kit", rollup=NO_TOTAL,
              actuals={(): tuple(price[36:].tolist())}),
        calculated("sales", "kits * price", ("region",), unit="EUR"),
    )  # fmt: skip
    return model_of(*lines, months=12, actual_to=Month(2026, 2), histories=tuple(histories))


def values_of(model, changes=()):
    results = evaluate(compile_model(model), [changes])
    return lambda line, key: np.asarray(results.series(line, key))


def explained(model, causes, settings=QUICK, in_logs=True):
    values = values_of(model)
    return {
        (region,): explain(
            known_of(model, f"kits {region}").series,
            [driver_of(cause, known_of(model, f"kits {region}"), model, values) for cause in causes],
            settings,
            in_logs,
        )
        for region in REGIONS
    }


def named(words, taken):
    return next(name for name in (words.lower(), f"{words.lower()}_2") if name not in taken)


def with_formula(model, causes, found):
    written = plan_formula(model.line("kits"), causes, found, model, named)
    target = replace(model.line("kits"), formula=written.formula, rules={})
    lines = [target if line.name == "kits" else line for line in model.lines]
    return replace(model, lines=(*lines, *written.lines)), written


@pytest.mark.parametrize(
    "cause",
    [
        PRICE, Cause(CauseKind.LINE, "price", 3), Cause(CauseKind.DAYS), Cause(CauseKind.DAYS, "DE", 1), FLOOD,
        Cause(CauseKind.EVENT, "Spring fair", 2, every=5),
    ],
)  # fmt: skip
def test_a_cause_is_written_and_read_back(cause):
    assert read_cause(cause.text) == cause


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "Choose what drives"), ("price~25", "0 to 24 months later"), ("@event:Fair:", "An event has months"),
        ("@event:Fair:every 13", "An event has months"), ("@event::2024-05", "called by 1 to 40"),
    ],
)  # fmt: skip
def test_what_is_no_cause_says_why(text, said):
    with pytest.raises(InvalidValue, match=said):
        read_cause(text)


def test_working_days_are_weekdays_less_public_holidays():
    """May 2026 has 21 weekdays; 1, 14 (Ascension) and 25 May (Whit Monday) are holidays in all of Germany (BGBl)."""
    assert working_days([Month(2026, 5)]).tolist() == [21]
    assert working_days([Month(2026, 5)], "DE").tolist() == [18]
    assert working_days([Month(2024, 2), Month(2025, 2)]).tolist() == [21, 20]
    with pytest.raises(UnknownName, match="country"):
        working_days([Month(2026, 5)], "XX")


def test_a_line_is_read_at_the_series_members_from_history_into_the_plan():
    model = shop()
    driver = driver_of(Cause(CauseKind.LINE, "kits"), known_of(model, "kits Valley"), model, values_of(model))
    assert driver.series.start == Month(2023, 1)
    assert driver.series.values[:36].tolist() == list(model.histories[2].values)
    assert driver.series.values[38:].tolist() == [500] * 10
    assert len(driver.series.values) == 48


def test_days_and_events_reach_from_the_first_month_known_to_the_end_of_the_plan():
    model = shop()
    driver = driver_of(replace(FLOOD, lag=1), known_of(model, "kits Coast"), model, values_of(model))
    felt = [str(driver.series.month_at(int(at))) for at in np.flatnonzero(driver.series.values)]
    assert felt == [
        "2024-10",
        "2026-09",
    ]
    days = driver_of(Cause(CauseKind.DAYS), known_of(model, "kits Coast"), model, values_of(model))
    assert (len(days.series.values), days.series.values[0]) == (48, 22)
    assert [cause_label(each, model) for each in (PRICE, FLOOD, Cause(CauseKind.DAYS, "DE"))] == [
        "Price", "Flood", "Working days (DE)",
    ]  # fmt: skip


def test_a_line_told_apart_otherwise_is_refused():
    model = shop()
    rain = History("rain", Month(2023, 1), (1.0,) * 38)
    model = replace(model, histories=(*model.histories, rain))
    with pytest.raises(InvalidValue, match="Kits is told apart by region, and rain is not"):
        driver_of(Cause(CauseKind.LINE, "kits"), known_of(model, "rain"), model, values_of(model))


@law(8)
@drawn(st.integers(0, 1000), st.booleans(), st.lists(st.sampled_from([PRICE, FLOOD]), min_size=1, unique=True))
def test_the_formula_says_in_the_plan_what_was_found(seed, in_logs, causes):
    """Month for month and member for member; actual months stay as they came."""
    model = shop(seed=seed)
    found = explained(model, causes, in_logs=in_logs)
    written, _ = with_formula(model, causes, found)
    for key, each in found.items():
        expected = each.with_drivers if each.gain > 0 else each.alone.amounts
        months = values_of(written)("kits", key)
        np.testing.assert_allclose(months[2:], expected, rtol=1e-6)
        np.testing.assert_allclose(months[:2], model.line("kits").actuals[key])


def test_its_effects_are_assumptions_that_a_case_can_change():
    model = shop()
    written, planned = with_formula(model, [PRICE, FLOOD], explained(model, [PRICE, FLOOD]))
    assert planned.formula == (
        "kits_without_moves * (price / kits_usual_price) ^ kits_by_price * exp(kits_by_flood * flood)"
    )
    effect = written.line("kits_by_price").rules[("Coast",)].value
    assert effect == pytest.approx(-1.5, abs=0.15)
    before, after = (values_of(each)("kits", ("Coast",)) for each in (model, written))
    assert after[10] < after[4]  # the price goes from 50 to 60 in July
    flood = written.line("flood").rules[()]
    assert [month for month, value in zip(model.timeline.months, flood.amounts, strict=True) if value] == [
        Month(2026, 8)
    ]
    assert {spread.line for spread in planned.spreads} == {"kits_by_price", "kits_by_flood"}
    assert before[10] == 500


def test_a_series_without_a_line_becomes_one_and_is_felt_later():
    model = shop()
    random = np.random.default_rng(7)
    rain = History(
        "rain", Month(2023, 1), tuple(random.integers(5, 20, 38).astype(float).tolist()), unit="days", label="Rain"
    )
    model = replace(model, histories=(*model.histories, rain))
    causes = [PRICE, Cause(CauseKind.LINE, "rain", 1), Cause(CauseKind.LINE, "rain")]
    found = explained(model, causes)
    written, planned = with_formula(model, causes, found)
    assert "(before(rain, 1) / kits_usual_rain) ^ kits_by_rain * (rain / kits_usual_rain_2)" in planned.formula
    line = written.line("rain")
    assert (line.label, line.unit, line.actuals[()]) == ("Rain", "days", rain.values[36:])
    for key, each in found.items():
        expected = each.with_drivers if each.gain > 0 else each.alone.amounts
        np.testing.assert_allclose(values_of(written)("kits", key)[2:], expected, rtol=1e-6)


def test_what_cannot_become_a_formula_says_why():
    model = shop()
    found = explained(model, [PRICE])
    with pytest.raises(InvalidValue, match="Sales is calculated already"):
        plan_formula(model.line("sales"), [PRICE], found, model, named)
    with pytest.raises(InvalidValue, match="all members of Kits, and Upland could not be explained"):
        plan_formula(model.line("kits"), [PRICE], {key: found[key] for key in list(found)[:2]}, model, named)
    mixed = {**found, ("Coast",): replace(found[("Coast",)], in_logs=False)}
    with pytest.raises(InvalidValue, match="effects are no factors for all of them"):
        plan_formula(model.line("kits"), [PRICE], mixed, model, named)
    later = replace(model, timeline=replace(model.timeline, last_actual=Month(2026, 1)))
    with pytest.raises(InvalidValue, match="is known to Feb 26, and the plan begins in Feb 26"):
        plan_formula(later.line("kits"), [PRICE], found, later, named)
