"""Small model files, each chosen for a difficulty: every one is read, holds, and computes what its comment says."""

from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner

from tests.kit.small import calculated, given, plan_of, series
from widefork.cli.main import main
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.axes import Grain, Month
from widefork.core.finance.assemble import build_plan, check_plan
from widefork.core.graph.rollup import roll_up
from widefork.files import FORMATS

FILES = sorted((Path(__file__).parent / "models").glob("*.yaml"))


def read(name):
    model = FORMATS["yaml"].read((Path(__file__).parent / "models" / f"{name}.yaml").read_text("utf-8"))
    plan = check_plan(model)
    return plan, evaluate_cases(plan, [case.name for case in model.cases])


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_every_file_says_what_it_is_for_and_reads_back(path):
    text = path.read_text("utf-8")
    assert text.startswith("# ")
    model = FORMATS["yaml"].read(text)
    assert FORMATS["yaml"].read(FORMATS["yaml"].write(model)) == model


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_every_file_goes_through_the_commands(path):
    checked = CliRunner().invoke(main, ["check", str(path)])
    ties = "balance" not in path.stem
    assert checked.exit_code == (0 if ties else 1), checked.output
    for grain in Grain:
        printed = CliRunner().invoke(main, ["calc", str(path), "--by", grain.value])
        assert printed.exit_code == 0
        assert printed.output.startswith("case,line,member,unit,")


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_every_line_of_every_file_can_be_explained(path):
    plan = build_plan(FORMATS["yaml"].read(path.read_text("utf-8")))
    month = str(plan.model.timeline.end)
    for line in plan.model.lines:
        members = [part for d in plan.model.dimensions_of(line) for part in ("--member", d.members[0])]
        said = CliRunner().invoke(main, ["explain", str(path), line.name, "--month", month, *members, "--depth", "1"])
        assert said.exit_code == 0, said.output
        assert said.output.startswith(line.name)


def test_the_first_version_can_be_asked_everything():
    path = str(Path(__file__).parent / "models" / "first_version.yaml")
    for arguments in (
        ["swings", path, "--figure", "low"],
        ["solve", path, "--goal", "low at least 100", "--lever", "price add 0 to 50"],
        ["bridge", path, "--from", "base", "--to", "best", "--figure", "low"],
    ):
        done = CliRunner().invoke(main, arguments)
        assert done.exit_code == 0, done.output


def test_a_fiscal_year_from_july():
    plan, results = read("fiscal_july")
    years = plan.model.timeline.fiscal_years()
    assert [year.key for year in years] == ["FY2026", "FY2027", "FY2028"]
    assert roll_up(results, "fees", years)[:, 0].tolist() == [200, 2400, 600]
    assert results.series("so_far").tolist()[:4] == [90, 200, 200, 400]
    assert results.series("duty_paid")[3] == pytest.approx(20)
    assert [p.key for p in plan.model.timeline.periods(Grain.QUARTER)][:3] == ["2026Q4", "2027Q1", "2027Q2"]


def test_interest_on_the_average_balance_is_solved_in_each_case():
    _, results = read("average_interest")
    balance = results.values("balance")
    assert balance[0, 0] == pytest.approx(1211.0552763819096, abs=1e-8)
    opening, closing, rate = balance[5:-1, 1], balance[6:, 1], 0.03
    np.testing.assert_allclose(closing, (opening * (1 + rate / 2) + 200) / (1 - rate / 2))
    assert results.unsolved == {}


def test_twenty_years_tie_to_the_last_month():
    plan, results = read("long")
    assert plan.model.timeline.end == Month(2045, 12)
    assert results.series("house_balance")[-1] == pytest.approx(0, abs=1e-6)
    growth = roll_up(results, "sales", plan.model.timeline.fiscal_years())[:, 0]
    np.testing.assert_allclose(growth[2:] / growth[1:-1], 1.04)
    assert np.abs(results.values("balance_difference")).max() < 1e-6
    assert results.series("cash_after_overdraft", (), 1)[-1] < results.series("cash_after_overdraft", (), 0)[-1]


def test_where_all_is_history_no_case_differs():
    _, results = read("only_actuals")
    assert results.series("gross_profit").tolist() == [4, 11, 14, 21, 24, 31]
    np.testing.assert_array_equal(results.values("cash")[:, 0], results.values("cash")[:, 1])


def test_two_dimensions_line_up_by_name_in_any_order():
    _, results = read("two_dimensions")
    assert results.series("sold", ("Kit", "Θάλασσα"))[0] == 18.75
    assert [results.series("whole", ("Θάλασσα", p))[0] for p in ("Kit", "Panel")] == [19, 6]
    assert results.series("north", ("Panel",))[0] == 12.5
    by_region = [results.series("by_region", (region,))[0] for region in ("Coast", "North shore", "Θάλασσα")]
    assert by_region == [9, 0, 3]
    assert results.series("share", ("Kit", "Coast"))[0] == pytest.approx(100 / 175)
    assert results.series("sales", ("Kit",))[0] == 75 * 4 + 37.5 * 5 + 18.75 * 3
    more = results.series("sales", ("Panel",), 1)[0] - results.series("sales", ("Panel",), 0)[0]
    assert more == pytest.approx(12.5 * 8)


def test_the_first_version_is_read_as_it_was_written():
    plan, results = read("first_version")
    assert [case.name for case in plan.model.cases] == ["base", "best", "calm"]
    assert results.series("kits", ("Coast",), 0).tolist() == [4, 6, 5, 5, 5, 7, 7, 7, 7, 7, 7, 7]
    assert results.series("kits", ("Valley",), 1).tolist() == [3, 3, 3, 3, 4, 4, 4, 4, 4, 4, 4, 4]
    assert results.series("kits", ("Valley",), 2).tolist() == [3] * 12
    assert results.series("joins", (), 1).tolist() == [0, 0, 0, 0, 0, 2, 0, 0, 0, 0, 0, 0]
    assert results.series("ready").tolist() == [1, 1, 1, 1.5, 3, 3, 3, 3, 3, 3, 3, 3]
    assert results.series("level").tolist() == [float(n) for n in range(12)]
    assert results.series("often", (), 1).tolist() == [3, 0] + [0] * 10


def test_fifteen_hundred_lines_each_on_the_one_before():
    chain = [calculated(f"x{i}", f"x{i - 1} + before(x{i - 1})") for i in range(1, 1500)]
    plan = plan_of(given("x0", 0), *reversed(chain), months=3)
    assert plan.problems == {}
    assert series(plan, "x1499") == [0, 0, 0]
    assert len(plan.steps) == 1499
