"""What a change did nothing to is said, with what would work."""

import re

import pytest

from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.idle import idle_changes
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation

PLAN = plan_of(
    given("kits", {("Coast",): 10, ("Valley",): 0, ("Upland",): 5}, ("region",)),
    given("fee", {"one_off": {"2026-01": 100}}),
    calculated("sales", "kits * 2", ("region",)),
    actual_to=Month(2026, 2),
)


@pytest.mark.parametrize(
    ("change", "members", "words"),
    [
        (Change("kits", Operation.SCALE, 1.1), (("Valley",),), "at Valley is 0 .* set it or add"),
        (Change("kits", Operation.SET, 10, (("region", "Coast"),)), (("Coast",),), "already has these values"),
        (Change("fee", Operation.SCALE, 2), ((),), "is 0 in these months"),
        (Change("fee", Operation.ADD, 1, last=Month(2026, 2)), ((),), "no plan month .* from 2026-03"),
        (Change("fee", Operation.ADD, 1, strength=0), ((),), "strength of 0"),
        (Change("sales", Operation.SCALE, 2), (("Valley",),), "Sales at Valley"),
    ],
)
def test_a_change_of_nothing_names_where_and_why(change, members, words):
    (idle,) = idle_changes(PLAN, [change])
    assert idle.members == members
    assert idle.is_whole == (" at " not in idle.sentence)
    assert re.search(words, idle.sentence), idle.sentence


def test_each_change_is_judged_where_it_applies():
    first = Change("kits", Operation.SET, 0)
    second = Change("kits", Operation.SCALE, 3)
    (idle, _) = sorted(idle_changes(PLAN, [first, second]), key=lambda found: -found.place)
    assert (idle.change, idle.is_whole) == (second, True)
    assert idle_changes(PLAN, [Change("kits", Operation.ADD, 1)]) == ()
    assert idle_changes(PLAN, []) == ()
