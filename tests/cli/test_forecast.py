"""``widefork forecast``: tables in, what comes next out, and what was not right said beside."""

import csv
import io
import json
import re

import numpy as np
import pytest
from click.testing import CliRunner

from widefork.cli.main import main
from widefork.core.analysis.trends import Series, Settings, make_forecast
from widefork.core.axes import Month
from widefork.demo import build_demo
from widefork.files.yaml_format.write import write_yaml

FAST = ("--without", "ets", "--without", "arima")


def seasonal(scale, count=42, seed=0):
    places = np.arange(count)
    values = (scale + 0.02 * scale * places) * (1 + 0.3 * np.sin(2 * np.pi * (places - 3) / 12))
    return np.round(values * np.exp(np.random.default_rng(seed).normal(0, 0.04, count)))


@pytest.fixture
def file(tmp_path):
    found = tmp_path / "kits.csv"
    rows = ["month,region,kits"]
    for place, (region, scale) in enumerate((("Coast", 700), ("Valley", 300))):
        rows += [
            f"{2023 + at // 12}-{at % 12 + 1:02d},{region},{value:.0f}"
            for at, value in enumerate(seasonal(scale, seed=place))
        ]
    found.write_text("\n".join(rows), "utf-8")
    return found


def run(file, *arguments):
    return CliRunner().invoke(main, ["forecast", str(file), *arguments])


def test_every_series_is_forecast_with_its_intervals(file):
    found = run(file, "--horizon", "12", *FAST)
    assert found.exit_code == 0, found.output
    rows = list(csv.DictReader(io.StringIO(found.stdout)))
    assert list(rows[0]) == ["series", "period", "forecast", "low_80", "high_80", "low_95", "high_95", "method"]
    assert [row["period"] for row in rows[:12]] == [str(Month(2026, 7).plus(place)) for place in range(12)]
    assert {row["series"] for row in rows} == {"Coast", "Valley"}
    for row in rows:
        low, high, middle = (float(row[key]) for key in ("low_80", "high_80", "forecast"))
        assert float(row["low_95"]) <= low <= middle <= high <= float(row["high_95"])
    series = Series("Coast", Month(2023, 1), seasonal(700))
    expected = make_forecast(series, Settings(without=("ets", "arima")))
    assert [float(row["forecast"]) for row in rows[:12]] == pytest.approx(expected.amounts.tolist())
    assert rows[0]["method"] == expected.method


def test_the_rest_is_summed_up_where_nothing_is_told_apart_by_it(file):
    found = json.loads(run(file, "--by", "region", "--format", "json", "--level", "50", *FAST).stdout)
    assert {"low_50", "high_50"} <= set(found[0])
    assert {row["series"] for row in found} == {"Coast", "Valley"}


def test_the_back_test_follows_on_demand(file):
    found = run(file, "--accuracy", *FAST).stdout
    forecasts, tests = found.split("\n\n")
    assert forecasts.startswith("series,period")
    rows = list(csv.DictReader(io.StringIO(tests)))
    of_coast = [row for row in rows if row["series"] == "Coast"]
    assert {"naive", "seasonal_naive"} <= {row["method"] for row in of_coast}
    taken = [row for row in of_coast if row["taken"] == "yes"]
    assert len(taken) == 1
    assert float(taken[0]["rmse"]) > 0
    assert 0 <= float(taken[0]["inside_80"]) <= 1
    assert int(taken[0]["tests"]) == 14


def test_steps_on_the_series_are_taken_and_said(tmp_path):
    file = tmp_path / "kits.csv"
    values = seasonal(300)
    values[20] = 4000
    values[:10] /= 2
    rows = [f"{Month(2023, 1).plus(at)},{value:g}" for at, value in enumerate(values)]
    file.write_text("\n".join(["month,kits", *rows]), "utf-8")
    told = ("--leave-out", "2024-09", "--level-since", "2023-11", "--since", "Mar 2023", "--leave-out", "1990-01")
    found = run(file, "--horizon", "1", *told, *FAST)
    assert found.exit_code == 0, found.output
    assert "kits: 2024-09 left out: 4,000." in found.stderr
    assert "kits: Before 2023-11 brought to the level since: +" in found.stderr
    assert "kits: Begins with 2023-03; 2 before it left out." in found.stderr
    assert "1990-01 is not in it" in found.stderr
    assert "“soon” is none" in run(file, "--since", "soon", *FAST).stderr


def test_drivers_of_each_region_are_told_and_taken_where_they_gain(tmp_path):
    """Kits of two regions move with a price of their own."""
    random, months = np.random.default_rng(4), [str(Month(2022, 1).plus(place)) for place in range(54)]
    kits, drivers = ["month,region,kits"], ["month,region,price"]
    for region, elasticity in (("Coast", -2.0), ("Valley", -1.2)):
        price = 50 * np.exp(random.normal(0, 0.2, 54))
        sold = 800 * (price / 50) ** elasticity * np.exp(random.normal(0, 0.03, 54))
        kits += [f"{month},{region},{amount:.1f}" for month, amount in zip(months[:48], sold, strict=False)]
        drivers += [f"{month},{region},{amount:.2f}" for month, amount in zip(months, price, strict=True)]
    file, other = tmp_path / "kits.csv", tmp_path / "drivers.csv"
    file.write_text("\n".join(kits), "utf-8")
    other.write_text("\n".join(drivers), "utf-8")
    found = run(file, "--horizon", "6", "--drivers", str(other), "--season", "1", "--accuracy", *FAST)
    assert found.exit_code == 0, found.output
    rows = list(csv.DictReader(io.StringIO(found.stdout.split("\n\n")[0])))
    assert {row["method"] for row in rows} == {"drivers"}
    said = {
        region: float(amount) for region, amount in re.findall(r"(\w+): 1 % more price: ([+-][\d.]+) %", found.stderr)
    }
    assert said["Coast"] == pytest.approx(-2, abs=0.1)
    assert said["Valley"] == pytest.approx(-1.2, abs=0.1)
    assert "Coast: drivers, were they known, save" in found.stderr
    assert "A lag is written like price=2" in run(file, "--drivers", str(other), "--lag", "price", *FAST).stderr
    assert "no driver “rain”" in run(file, "--drivers", str(other), "--lag", "rain=2", *FAST).stderr
    both = run(file, "--drivers", str(other), "--totals", "bottom-up", *FAST)
    assert "leave out the drivers, or the totals" in both.stderr


@pytest.mark.parametrize("way", ["bottom-up", "top-down", "minimum trace"])
def test_totals_add_up_and_what_that_changed_is_said(file, way):
    found = run(file, "--horizon", "3", "--totals", way, *FAST)
    assert found.exit_code == 0, found.output
    by = {}
    for row in csv.DictReader(io.StringIO(found.stdout)):
        by.setdefault(row["series"], []).append(float(row["forecast"]))
    assert list(by) == ["Total", "Coast", "Valley"]
    assert by["Total"] == pytest.approx([one + other for one, other in zip(by["Coast"], by["Valley"], strict=True)])
    assert f"% by adding up, {way}." in found.stderr


def test_wide_quarters_and_limits(tmp_path):
    file = tmp_path / "wide.csv"
    head = [f"{2020 + place // 4}-Q{place % 4 + 1}" for place in range(20)]
    file.write_text(
        "\n".join([",".join(["product", *head]), ",".join(["Panels", *(str(10 + place) for place in range(20))])]),
        "utf-8",
    )
    found = run(file, "--horizon", "2", "--method", "drift", "--whole", "--season", "1", *FAST)
    rows = list(csv.DictReader(io.StringIO(found.stdout)))
    assert [(row["series"], row["period"], float(row["forecast"])) for row in rows] == [
        ("Panels", "2025-Q1", 30), ("Panels", "2025-Q2", 31),
    ]  # fmt: skip


def test_many_series_go_over_other_processes_and_come_in_order(tmp_path):
    file = tmp_path / "many.csv"
    months = [str(Month(2023, 1).plus(place)) for place in range(30)]
    rows = [",".join(["name", *months])]
    rows += [",".join([f"S{number}", *(f"{v:g}" for v in seasonal(100 + number, 30, number))]) for number in range(6)]
    file.write_text("\n".join(rows), "utf-8")
    found = run(file, "--horizon", "1", *FAST, "--without", "theta")
    assert [row["series"] for row in csv.DictReader(io.StringIO(found.stdout))] == [f"S{number}" for number in range(6)]


@pytest.mark.parametrize(
    ("text", "arguments", "said"),
    [
        ("month,value\n2024-01,5", (), "value has 1 known value; a forecast needs at least 3."),
        ("a,b\nx,y", (), "No column and no row holds periods"),
        ("month,value\n2024-01,5\n2024-02,6\n2024-03,7", ("--horizon", "0"), "reaches 1 to 240"),
        ("month,value\n2024-01,5\n2024-02,6\n2024-03,7", ("--level", "100"), "less than 100 %"),
        ("month,value\n2024-01,5\n2024-02,6\n2024-03,7", ("--season", "12"), "needs at least 24 values"),
        ("month,value\n2024-01,5\n2024-02,6\n2024-03,7", ("--by", "moon"), "no column “moon”"),
        ("month,value\n2024-01,5\n2024-02,6\n2024-03,7", ("--totals", "bottom-up"), "at least two parts"),
        ("", (), "has no cells"),
    ],
)  # fmt: skip
def test_what_cannot_be_forecast_says_what_to_do(tmp_path, text, arguments, said):
    file = tmp_path / "odd.csv"
    file.write_text(text, "utf-8")
    found = run(file, *arguments, *FAST)
    assert found.exit_code == 2
    assert said in found.stderr
    assert "Traceback" not in found.output


def test_what_was_made_of_the_table_is_said_beside_the_figures(tmp_path):
    file = tmp_path / "odd.csv"
    values = [f"{value:g}" for value in seasonal(100, 36)]
    values[20] = "no idea"
    values[28] = str(float(values[28]) * 1000)
    rows = [f"{Month(2023, 1).plus(place)},{value}" for place, value in enumerate(values)]
    file.write_text("\n".join(["month,value", *rows, "later,3"]), "utf-8")
    found = run(file, "--gaps", "same month last year", *FAST)
    assert found.exit_code == 0
    assert "Row 22: “no idea” is no number" in found.stderr
    assert "Row 38: “later” is no period" in found.stderr
    assert "Far off the others: 2025-05" in found.stderr
    assert "1 month unknown; filled: same month last year." in found.stderr


def test_history_is_taken_into_a_model_file_and_listed(tmp_path):
    model, table = tmp_path / "m.yaml", tmp_path / "h.csv"
    model.write_text(write_yaml(build_demo("quillmere")), "utf-8")
    table.write_text(
        "month,region,Kits ordered,Rain\n2022-12,Coast,500,9\n2023-01,Coast,1,8\n2022-12,Moon,7,\n", "utf-8"
    )
    ran = CliRunner().invoke(main, ["history", str(model), "import", str(table)])
    assert ran.exit_code == 0, ran.output
    assert "Coast / Kits ordered: 2 periods into kits_ordered Coast, 1 known otherwise before" in ran.output
    assert "into kits_ordered_moon, of its own (Kits ordered has no Moon)" in ran.output
    listed = CliRunner().invoke(main, ["history", str(model), "list"]).output
    assert 'kits_ordered Coast,"Kits ordered, Coast",kits,2022-12,2026-06,42,3' in listed
    other = tmp_path / "other.yaml"
    table.write_text("region,2025-01,2025-02,2025-03\nCoast,45,46,47\n", "utf-8")
    named = ["history", str(model), "import", str(table), "--line", "Kit price", "--out", str(other)]
    assert "kit_price" in CliRunner().invoke(main, named).output
    assert "kit_price" in other.read_text("utf-8").split("histories:")[1]


def test_history_that_cannot_be_taken_in_leaves_the_file_as_it_was(tmp_path):
    model, table = tmp_path / "m.yaml", tmp_path / "h.csv"
    model.write_text(write_yaml(build_demo("quillmere")), "utf-8")
    before = model.read_text("utf-8")
    table.write_text(
        "region,note,2025-01,2025-02,2025-03\nCoast,Kits ordered,1,2,3\nKits ordered,Coast,4,5,6\n", "utf-8"
    )
    ran = CliRunner().invoke(main, ["history", str(model), "import", str(table)])
    assert ran.exit_code == 2
    assert "Several series of the table go to kits_ordered Coast" in ran.output
    assert "There is no line “Nothing”" in CliRunner().invoke(
        main, ["history", str(model), "import", str(table), "--line", "Nothing"]
    ).output  # fmt: skip
    assert model.read_text("utf-8") == before
    assert sorted(path.name for path in tmp_path.iterdir()) == ["h.csv", "m.yaml"]
