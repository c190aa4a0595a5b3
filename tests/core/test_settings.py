"""What schedules and patterns ask: bounds are of few kinds, and whatever differs from them says so here."""

import pytest

from widefork.core.finance.schedules import SCHEDULES
from widefork.core.patterns import PATTERNS

ASKED = [
    (owner.name, setting.key, asked)
    for owner, settings in [
        *((kind, kind.settings) for kind in SCHEDULES),
        *((kind, kind.questions) for kind in PATTERNS),
    ]
    for setting in settings
    for asked in (setting, *setting.columns)
]
FROM_ONE = {("people", "rise_month"), ("subscription", "lifetime"), ("events", "per_staff"), ("funnel", "lifetime")}
MAY_FALL = {("people", "pay_rise"), ("growth", "growth")}
OTHERWISE = {("outgoings", "costs"), ("sales_team", "attainment")}
"""A part of a month that costs come every so many of; an attainment of up to twice the target."""


@pytest.mark.parametrize(("owner", "key", "asked"), ASKED, ids=[f"{o}-{k}-{a.key}" for o, k, a in ASKED])
def test_nothing_is_asked_below_nothing_and_no_share_above_the_whole(owner, key, asked):
    place = (owner, key)
    if place in OTHERWISE:
        return
    expected = 1 if place in FROM_ONE else -1 if place in MAY_FALL else 0
    assert asked.least in (None, expected)
    if asked.unit.startswith("%") and place not in MAY_FALL:
        assert asked.most in (None, 1)


def test_what_is_needed_is_what_an_example_gives():
    for kind in PATTERNS:
        needed = {question.key for question in kind.questions if question.is_required}
        assert needed <= set(kind.example), kind.name
    required = {(o, k) for o, k, asked in ASKED if asked.is_required}
    assert {("market", "size"), ("device", "price"), ("go_between", "deals_each")} <= required
