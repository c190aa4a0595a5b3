"""Histories read from tables: periods and numbers as they are spelled, long and wide, days and weeks."""

from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import given, model_of
from widefork.core.axes import MONTH_NAMES, Month
from widefork.core.closing import NOT_GIVEN
from widefork.core.errors import InvalidValue
from widefork.core.history import Doubled, History, Step, StepKind, merged
from widefork.files.history import decimal_mark, place_table, read_history, read_number, read_period


def rows_of(text, between=","):
    return tuple(tuple(cell.strip() for cell in line.split(between)) for line in text.strip().splitlines())


def one(text, between=",", **more):
    found = read_history(rows_of(text, between), **more)
    assert len(found.series) == 1
    return next(iter(found.series.values())), found


# Periods


@pytest.mark.parametrize(
    ("text", "kind", "month"),
    [
        ("2026-07", "month", "2026-07"), ("2026/7", "month", "2026-07"), ("07/2026", "month", "2026-07"),
        ("07.2026", "month", "2026-07"), ("202607", "month", "2026-07"), ("2026M07", "month", "2026-07"),
        ("Jul 2026", "month", "2026-07"), ("July 2026", "month", "2026-07"), ("JUL-26", "month", "2026-07"),
        ("Jul. 26", "month", "2026-07"), ("2026 Jul", "month", "2026-07"), ("Mär 2026", "month", "2026-03"),
        ("Dez 26", "month", "2026-12"), ("févr. 2026", "month", "2026-02"), ("Sept 2026", "month", "2026-09"),
        ("2026-07-31", "day", "2026-07"), ("31.07.2026", "day", "2026-07"), ("07/31/2026", "day", "2026-07"),
        ("31 Jul 2026", "day", "2026-07"), ("July 31, 2026", "day", "2026-07"),
        ("2026-07-01 00:00:00", "day", "2026-07"), ("2026-07-01T00:00:00Z", "day", "2026-07"),
        ("2026-W27", "week", "2026-06"), ("2026Q3", "quarter", "2026-07"), ("Q3 2026", "quarter", "2026-07"),
        ("3Q26", "quarter", "2026-07"), ("2026-H2", "half-year", "2026-07"), ("H2 26", "half-year", "2026-07"),
        ("2026", "year", "2026-01"), ("FY2026", "year", "2026-01"),
    ],
)  # fmt: skip
def test_periods_in_the_usual_spellings(text, kind, month):
    found = read_period(text)
    assert (found.kind, str(found.month)) == (kind, month)


@pytest.mark.parametrize(
    "text", ["", "abc", "13/2026", "2026-13", "31.31.2026", "Q5 2026", "H3 2026", "12", "1500.50", "Jux 26"]
)
def test_other_words_are_no_periods(text):
    assert read_period(text) is None


@law(100)
@drawn(st.integers(1990, 2050), st.integers(1, 12))
def test_every_month_reads_back_in_every_spelling(year, month):
    expected = Month(year, month)
    name = MONTH_NAMES[month - 1]
    for text in (str(expected), f"{month:02d}/{year}", f"{name} {year}", f"{name}-{year}", f"{year}-{month:02d}-01"):
        assert read_period(text).month == expected


def test_dates_that_read_both_ways_are_settled_by_those_that_do_not_and_by_even_steps():
    american, _ = one("Date,Value\n01/31/2026,1\n02/28/2026,2\n03/31/2026,3\n04/01/2026,4")
    assert (str(american.start), american.per_year) == ("2026-01", 12)
    firsts, found = one("date,value\n" + "\n".join(f"{month:02d}/01/2026,{month}" for month in range(1, 13)))
    assert str(firsts.start) == "2026-01"
    assert firsts.values.tolist() == list(range(1, 13))
    assert found.notes == ("Dates were read with the month first.",)
    german, found = one("Datum;Wert\n" + "\n".join(f"01.{month:02d}.2026;{month}" for month in range(1, 13)), ";")
    assert german.values.tolist() == list(range(1, 13))
    assert found.notes == ("Dates were read with the day first.",)


@pytest.mark.parametrize(
    ("days", "per_year", "start"),
    [
        (["2026-03-31", "2026-06-30", "2026-09-30", "2026-12-31"], 4, "2026-01"),
        (["2024-12-31", "2025-12-31", "2026-12-31"], 1, "2024-01"),
        (["2026-01-31", "2026-02-28", "2026-03-31"], 12, "2026-01"),
        (["2026-01-01", "2026-04-01", "2026-07-01"], 4, "2026-01"),
    ],
)
def test_last_and_first_days_stand_for_their_periods(days, per_year, start):
    series, _ = one("date,value\n" + "\n".join(f"{day},{place}" for place, day in enumerate(days)))
    assert (series.per_year, str(series.start)) == (per_year, start)
    assert series.values.tolist() == list(range(len(days)))


# Numbers


@pytest.mark.parametrize(
    ("cells", "values"),
    [
        (["1,234.50", "2"], [1234.5, 2]), (["1.234,50", "2"], [1234.5, 2]), (["1234.5"], [1234.5]),
        (["1234,5"], [1234.5]),
        (["12,500", "7,250"], [12500, 7250]), (["12.500", "7.250"], [12500, 7250]), (["1.500", "2.75"], [1.5, 2.75]),
        (["1 234", "€ 5"], [1234, 5]), (["(12)", "-3", "−4"], [-12, -3, -4]), (["1'250.5"], [1250.5]), (["5 %"], [5]),
        (["1.234.567", "1,5"], [1234567, 1.5]), (["1e3", "2.5E-1"], [1000, 0.25]), (["0.125", "0.250"], [0.125, 0.25]),
    ],
)  # fmt: skip
def test_a_column_has_one_decimal_style(cells, values):
    mark = decimal_mark(cells)
    assert [read_number(cell, mark) for cell in cells] == values


def test_nothing_is_unknown_and_words_are_no_numbers():
    for text in ("", "n/a", "-", "NaN", "null"):
        assert np.isnan(read_number(text, "."))
    for text in ("abc", "1-2", "12a", "--3"):
        assert read_number(text, ".") is None


STYLES = st.sampled_from([(",", "."), (".", ","), ("", "."), ("", ",")])


@law(100)
@drawn(st.lists(st.integers(-(10**9), 10**9), min_size=2, max_size=12), STYLES)
def test_amounts_read_back_in_both_styles(cents, style):
    grouping, mark = style
    written = [f"{value / 100:,.2f}".replace(",", "_").replace(".", mark).replace("_", grouping) for value in cents]
    found = decimal_mark(written)
    assert [read_number(text, found) for text in written] == pytest.approx([value / 100 for value in cents])


# Tables


def test_long_tables_are_told_apart_by_their_words_and_columns():
    text = "month,region,kits,price\n" + "\n".join(
        f"2026-0{month},{region},{month * size},{month + 0.5}"
        for month in (1, 2, 3)
        for region, size in (("A", 10), ("B", 20))
    )
    found = read_history(rows_of(text))
    assert list(found.series) == ["A / kits", "A / price", "B / kits", "B / price"]
    assert found.series["B / kits"].values.tolist() == [20, 40, 60]
    assert found.members["B / kits"] == (("region", "B"),)
    assert found.measures["B / kits"] == "kits"
    summed = read_history(rows_of("month,region,kits\n2026-01,A,1\n2026-01,B,2\n2026-02,A,3\n2026-02,B,4"), by=[])
    assert summed.series["kits"].values.tolist() == [3, 7]
    with pytest.raises(InvalidValue, match="no column “moon”"):
        read_history(rows_of(text), by=["moon"])


def test_wide_tables_have_their_periods_across():
    found = read_history(rows_of("Region;Produkt;Jan 2026;Feb 2026;Mrz 2026\nNord;A;1.234,5;2,5;3\nSüd;B;1;;4", ";"))
    assert list(found.series) == ["Nord / A", "Süd / B"]
    assert found.series["Nord / A"].values.tolist() == [1234.5, 2.5, 3]
    assert np.isnan(found.series["Süd / B"].values[1])
    assert found.members["Süd / B"] == (("Region", "Süd"), ("Produkt", "B"))
    by_region = read_history(rows_of("region,product,2024,2025,2026\nN,A,1,2,3\nN,B,4,5,6"), by=["region"])
    assert by_region.series["N"].values.tolist() == [5, 7, 9]
    assert by_region.series["N"].per_year == 1


@law(40)
@drawn(
    st.integers(3, 30), st.integers(1, 4), st.integers(2000 * 12, 2030 * 12),
    st.lists(st.integers(0, 10**6), min_size=120, max_size=120),
)  # fmt: skip
def test_long_and_wide_hold_the_same(months, regions, first, numbers):
    labels = [str(Month.from_ordinal(first + place)) for place in range(months)]
    grid = [numbers[region * months : (region + 1) * months] for region in range(regions)]
    grid = [row + [1] * (months - len(row)) for row in grid]
    long = [("month", "region", "value")] + [
        (labels[place], f"R{region}", str(grid[region][place])) for place in range(months) for region in range(regions)
    ]
    wide = [("region", *labels)] + [(f"R{region}", *map(str, grid[region])) for region in range(regions)]
    one, two = read_history(tuple(long)), read_history(tuple(wide))
    assert list(one.series) == list(two.series)
    for name in one.series:
        assert one.series[name].start == two.series[name].start
        assert np.array_equal(one.series[name].values, two.series[name].values)


def test_a_column_of_years_is_told_from_a_column_of_amounts():
    series, _ = one("value,year\n1990,2001\n2005,2002\n1980,2003")
    assert series.values.tolist() == [1990, 2005, 1980]
    assert str(series.start) == "2001-01"


@pytest.mark.parametrize(("doubled", "expected"), [("sum", 7), ("mean", 3.5), ("first", 3), ("last", 4)])
def test_a_month_that_stands_twice_is_taken_as_asked_and_said(doubled, expected):
    series, found = one("month,value\n2026-01,1\n2026-02,3\n2026-02,4\n2026-03,5", doubled=Doubled(doubled))
    assert series.values.tolist() == [1, expected, 5]
    assert found.doubled["value"] == {Month(2026, 2): (3, 4)}
    assert f"2026-02 stands more than once; {doubled}" in found.notes[0]


def test_missing_months_are_unknown_and_order_is_mended():
    series, found = one("month,value\n2026-04,4\n2026-01,1\n2026-02,2")
    assert series.values[[0, 1, 3]].tolist() == [1, 2, 4]
    assert np.isnan(series.values[2])
    assert "not in order" in found.notes[0]


def test_days_and_weeks_are_summed_to_whole_months():
    """Three a day, from 20 January to 10 April 2025: only February and March are whole; weeks are spread over days."""
    first = date(2025, 1, 20)
    days = [first + timedelta(days=place) for place in range(81)]
    series, found = one("day,value\n" + "\n".join(f"{day.isoformat()},3" for day in days))
    assert (str(series.start), series.values.tolist()) == ("2025-02", [84, 93])
    assert "not whole" in found.notes[-1]
    weeks = [date(2025, 1, 6) + timedelta(days=7 * place) for place in range(16)]
    series, _ = one("week,value\n" + "\n".join(f"{day.isoformat()},21" for day in weeks))
    assert series.values[1:3] == pytest.approx([84, 93])


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("a,b\nx,y\nz,w", "No column and no row holds periods"),
        ("month,words\n2026-01,x\n2026-02,y", "no other holds numbers"),
        ("month,value\n1701-01,1\n2199-01,2", "at most 1,200"),
    ],
)
def test_what_is_no_history_says_what_was_expected(text, said):
    with pytest.raises(InvalidValue, match=said):
        read_history(rows_of(text))


def test_what_cannot_be_read_is_left_out_and_said_where():
    series, found = one("month,value\n2026-01,1\nfoo,2\n2026-03,bar\n2026-04,4\n2026-05,5\n2026-06,6\n2026-07,7")
    assert series.values[[0, 3]].tolist() == [1, 4]
    assert np.isnan(series.values[2])
    assert found.notes[0].startswith("Row 3: “foo” is no period; expected one like 2026-07")
    assert found.notes[1].startswith("Row 4: “bar” is no number")
    _, found = one("month,value\n" + "\n".join(f"2026-{1 + place % 12:02d},1\nfoo{place},2" for place in range(40)))
    assert len(found.notes) == 21
    assert "more of the kind" in found.notes[-1]


def placed(text, line="", chosen=None, histories=()):
    model = model_of(given("kits", 1, ("region",)), given("price", 2), histories=histories)
    return place_table(read_history(rows_of(text)), model, line, chosen)


def test_series_go_where_their_words_say():
    found = placed(
        "month,region,Kits,Rain\n2025-01,coast,1,5\n2025-02,coast,2,6\n2025-01,Valley,3,7\n2025-02,Valley,4,8"
    )
    assert [(each.history.name, each.line and each.line.name) for each in found] == [
        ("kits Coast", "kits"), ("rain_coast", None), ("kits Valley", "kits"), ("rain_valley", None),
    ]  # fmt: skip
    wide = placed("item,2025-01,2025-02,2025-03\nKits / Upland,1,2,3\nPrice,4,5,6\nKits,7,8,9\nKits / Moon,1,1,1")
    assert [each.history.name for each in wide] == ["kits Upland", "price", "kits", "kits_moon"]
    assert "has no Moon" in wide[3].words


def test_members_alone_are_of_the_line_that_is_named():
    rows = "region,2025-01,2025-02,2025-03\nCoast,1,2,3\nMars,4,5,6"
    coast, mars = placed(rows, "Kits")
    assert coast.history.members == (("region", "Coast"),)
    assert "Mars: no member of Kits." in mars.words
    with pytest.raises(InvalidValue, match="There is no line “Kitz”"):
        placed(rows, "Kitz")


def test_a_person_says_where_a_series_goes_or_that_it_does_not():
    rows = "region,2025-01,2025-02,2025-03\nCoast,1,2,3\nValley,4,5,6\nUpland,7,8,9"
    found = placed(rows, chosen={"Coast": "Kits, Upland", "Valley": "", "Upland": "Visitors"})
    assert [(each.history.name, each.history.label) for each in found] == [
        ("kits Upland", ""),
        ("visitors", "Visitors"),
    ]
    twice = placed(rows, chosen={"Coast": "Kits, Upland", "Valley": "Kits, Upland", "Upland": ""})
    assert all("Several series go here" in each.words for each in twice)


def test_what_changes_of_what_is_known_is_counted_and_the_rest_stays():
    before = History("price", Month(2025, 1), (1.0, 2.0, NOT_GIVEN), steps=(Step(StepKind.SINCE, Month(2025, 2)),))
    (found,) = placed("month,Price\n2025-02,9\n2025-03,3\n2025-04,4", histories=(before,))
    assert (found.is_known, found.changed) == (True, 1)
    whole = merged(before, found.history)
    assert (whole.start, whole.values, whole.steps) == (Month(2025, 1), (1, 9, 3, 4), before.steps)
    quarters = History("price", Month(2025, 1), (7.0,), per_year=4)
    assert merged(before, quarters).values == (7,)


@law(100)
@drawn(
    st.lists(st.just(NOT_GIVEN) | st.floats(-9, 9), min_size=1, max_size=6),
    st.lists(st.just(NOT_GIVEN) | st.floats(-9, 9), min_size=1, max_size=6), st.integers(-8, 8),
)  # fmt: skip
def test_merging_loses_nothing_that_is_known(one, other, shift):
    before = History("x", Month(2025, 1), tuple(one))
    later = History("x", Month(2025, 1).plus(shift), tuple(other))
    whole = merged(before, later)
    for history, goes_before in ((later, True), (before, False)):
        for place, value in enumerate(history.values):
            at = history.start.plus(place).ordinal - whole.start.ordinal
            mine = later.start.ordinal - whole.start.ordinal
            over = other[at - mine] if 0 <= at - mine < len(other) else NOT_GIVEN
            if value == value and (goes_before or over != over):
                assert whole.values[at] == value


@pytest.mark.parametrize(
    ("numbers", "expected", "said"),
    [("4,4.5,5", (0.04, 0.045, 0.05), "per cent"), ("4 %,5 %,", (0.04, 0.05, None), "per cent"),
     ("0.04,0.05,0.06", (0.04, 0.05, 0.06), "Taken as shares")],
)  # fmt: skip
def test_per_cents_are_taken_as_in_a_sheet_and_how_is_said(numbers, expected, said):
    model = model_of(given("price", 2), given("returned", 0.04, unit="%"))
    (found,) = place_table(read_history(rows_of(f"what,2025-01,2025-02,2025-03\nReturned,{numbers}")), model)
    assert said in found.words
    for value, wanted in zip(found.history.values, expected, strict=True):
        assert value != value if wanted is None else value == pytest.approx(wanted)
