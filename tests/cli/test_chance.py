"""Random draws from the command line, here and on a cluster."""

import csv
import io
import re

import pytest
from click.testing import CliRunner
from distributed import LocalCluster

from widefork.cli.main import main
from widefork.demo import demo_text

USUAL = ("--figure", "lowest_cash", "--draws", "256", "--seed", "3")


@pytest.fixture(scope="module")
def file(tmp_path_factory):
    path = tmp_path_factory.mktemp("chance") / "quillmere.yaml"
    path.write_text(demo_text("quillmere"), "utf-8")
    return str(path)


def run(file, *arguments):
    return CliRunner().invoke(main, ["chance", file, *USUAL, *arguments])


def told(result):
    """What is printed, by what it is of and what it says."""
    assert result.exit_code == 0, result.output
    return {(row["of"], row["what"]): row for row in csv.DictReader(io.StringIO(result.stdout))}


def test_what_is_drawn_is_told_with_how_well_it_is_known(file):
    goal = ("--goal", "lowest_cash at least 0", "--rate", "9", "--fan", "cash_after_overdraft")
    found = told(run(file, *goal, "--contracts"))
    levels = [float(found["lowest_cash", f"P{share}"]["value"]) for share in (5, 25, 50, 75, 95)]
    assert levels == sorted(levels)
    assert all(float(found["lowest_cash", f"P{share}"]["standard error"]) > 0 for share in (5, 50, 95))
    short = float(found["money", "chance of being short at all"]["value"])
    months = [float(row["value"]) for (of, what), row in found.items() if re.match(r"chance of being short in", what)]
    assert max(months) <= short <= sum(months)
    needs = [float(found["money", f"needed to be safe at {share} %"]["value"]) for share in (90, 95, 99)]
    assert needs == sorted(needs)
    assert 0 <= float(found["lowest_cash", "chance of at least 0"]["value"]) <= 1
    assert ("debt_service_held", "chance of being kept on all dates") in found
    assert len([key for key in found if key[0] == "cash_after_overdraft"]) == 5 * 30


def test_spreads_of_ones_own_take_the_place_of_ranges(file):
    own = ("--only", "--spread", "kit_price uniform -10 % to +10 % by year persisting 0.5", "--spread",
           "rent pert 6500 to 7600 likely 7000", "--correlate", "kit_price rent 0.9", "--indices")  # fmt: skip
    assert "kit_price is drawn by year and rent once" in run(file, *own).output
    found = told(run(file, *own[:5], "--indices"))
    drivers = {what.removeprefix("rank correlation with ") for of, what in found if what.startswith("rank")}
    assert drivers == {"kit_price", "rent"}
    shares = [float(found["lowest_cash", f"variance by {name}, in all"]["value"]) for name in ("kit_price", "rent")]
    assert shares[0] > 0.9 > shares[1] >= 0
    at = ("--only", "--spread", "kits_ordered at Coast uniform 90 to 140 as value by month")
    told_by = [what for of, what in told(run(file, *at)) if what.startswith("rank")]
    assert told_by == ["rank correlation with kits_ordered Coast"]
    only = ("--only", "--spread", "kit_price uniform -10 % to +10 %", "--spread", "rent uniform -5 % to +5 %",
            "--spread", "marketing_share uniform -5 % to +5 %")  # fmt: skip
    pairs = ("--correlate", "kit_price rent 0.9", "--correlate", "rent marketing_share 0.9", "--correlate",
             "kit_price marketing_share -0.9")  # fmt: skip
    assert "the nearest that can be were taken" in run(file, *only, *pairs).stderr
    assert "take the correlations off" in run(file, *only, *pairs, "--indices").output


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["--draws", "1000"], "ask for 512 or 1,024"),
        (["--spread", "kit_price wide"], "A spread is written like"),
        (["--spread", "nothing pert -1 % to +1 %"], "There is no line “nothing”"),
        (["--spread", "rent pert 9 to 5"], "from the lower to the higher"),
        (["--spread", "rent lognormal -5 % to -5 %"], "has no width"),
        (["--correlate", "kit_price kit_price 1"], "A correlation is written like"),
        (["--correlate", "kit_price wages 0.4"], "wages is not spread"),
        (["--goal", "ebitda at least 4"], "A goal is of a figure asked for"),
        (["--goal", "lowest_cash at least 2027-04"], "is compared with an amount"),
        (["--only"], "nothing can be drawn"),
        (["--by-weights", "--case", "base"], "No case has a weight"),
        (["--held", "0"], "more than 0 %"),
        (["--cluster", "tcp://127.0.0.1:1"], "No scheduler answers at"),
    ],
)
def test_what_cannot_be_drawn_says_why(file, arguments, said):
    result = run(file, *arguments)
    assert result.exit_code != 0
    assert said in result.output


@pytest.mark.filterwarnings("ignore::DeprecationWarning", "ignore::ResourceWarning")
def test_a_cluster_draws_the_same(file):
    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None, silence_logs=50) as cluster:
        there = told(run(file, "--fan", "headroom", "--cluster", cluster.scheduler_address))
    here = told(run(file, "--fan", "headroom"))
    assert there.keys() == here.keys()
    for key, row in here.items():
        assert float(there[key]["value"]) == pytest.approx(float(row["value"]), rel=1e-9, abs=1e-6), key
