"""The whole demo model recomputed in plain loops, without the core's evaluation: equal line by line, in every case."""

from collections import defaultdict

import numpy as np
import pytest

from tests.demo.by_hand import ByHand, is_known
from widefork.core.analysis.compare import evaluate_cases

CASES = ("base", "best", "worst", "worst_met")


def by_hand(plan, results, place):
    """A case worked out by hand, from what patterns and the team plan give."""
    known, posted = {}, defaultdict(list)
    for line in [line for line in plan.model.lines if is_known(line)]:
        for key in plan.model.keys_of(line):
            name = (line.name, *key) if key else line.name
            known[name] = results.series(line.name, key, place).tolist()
            posted[line.posts_to].append(name)
    return ByHand(CASES[place], known, posted).v


@pytest.mark.parametrize("place", range(len(CASES)), ids=CASES)
def test_every_line_of_the_demo_recomputed_by_hand(demo_plan, place):
    results = evaluate_cases(demo_plan, CASES)
    found = by_hand(demo_plan, results, place)
    size = float(np.abs(results.values("total_assets")).max())
    for line in [line for line in demo_plan.model.lines if not is_known(line)]:
        for key in demo_plan.model.keys_of(line):
            months = results.series(line.name, key, place)
            expected = found[(line.name, *key)] if key else found[line.name]
            # A difference of large amounts is as exact as they are.
            room = 1e-12 * size if line.unit == "EUR" else 1e-9
            assert months.tolist() == pytest.approx(expected, rel=1e-9, abs=room, nan_ok=True), (line.name, key)


def test_what_is_recomputed_is_not_mostly_nothing(demo_plan):
    found = by_hand(demo_plan, evaluate_cases(demo_plan, CASES), 2)
    moving = [line.name for line in demo_plan.model.lines if not line.dimensions and any(found[line.name])]
    assert len(moving) > 180
