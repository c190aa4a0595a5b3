"""Hires proposed and plans under shocks, on the sample's team plan."""

import numpy as np
import pytest

from tests.core.finance.sample import PROFILES, TEAMS, bare
from tests.kit.small import company, given
from widefork.core.analysis.grid import read_set, try_all
from widefork.core.analysis.staffing import plans_and_shocks, propose_hires
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Move, Operation, Switch
from widefork.core.engine import evaluate
from widefork.core.figures import Figure

SAMPLERS = ("teams", "Samplers")
MONTHS = 24
NOBODY = {(team,): 0 for team in TEAMS}


def plan_wanting(amounts, cases=(), moves=()):
    wanted = {**NOBODY, ("Samplers",): {"monthly": {"start": "2026-01", "amounts": amounts}}}
    lines = (
        given("hiring", NOBODY, ("teams",), unit="heads"), given("going", NOBODY, ("teams",), unit="heads"),
        given("wanted", wanted, ("teams",), unit="hours"),
    )  # fmt: skip
    settings = {"register": "teams", "hires": ["hiring"], "let_go": ["going"], "demand": ["wanted"]}
    more = {"cases": cases, "moves": moves} if cases else {}
    return company(bare("people", **settings), lines=lines, more_dimensions=(TEAMS,), profiles=PROFILES, **more)


def test_hires_come_as_late_as_they_may_and_nobody_is_short_then():
    plan = plan_wanting([600] * 12 + [900] * 12)
    proposal = propose_hires(plan, (), "it_short", "hiring", SAMPLERS, lead=1, ramp=2)
    assert proposal.left <= 1e-6
    results = evaluate(plan, [proposal.changes])
    short, heads = results.series("it_short", ("Samplers",)), results.series("it_heads", ("Samplers",))
    assert short[3:].max() <= 1e-6
    assert proposal.changes[-1].first <= Month(2027, 10)
    assert heads[8] < 7  # nobody before leavers or the rise ask for it
    # one fewer anywhere, and somebody is short
    for change in proposal.changes:
        fewer = [c if c is not change else Change(c.line, c.operation, c.amount - 1, c.members, c.first, c.last)
                 for c in proposal.changes]  # fmt: skip
        assert evaluate(plan, [tuple(fewer)]).series("it_short", ("Samplers",))[3:].max() > 1e-6


def test_what_comes_too_soon_is_said():
    plan = plan_wanting([2000] * MONTHS)
    proposal = propose_hires(plan, (), "it_short", "hiring", SAMPLERS, lead=3, ramp=2)
    assert proposal.too_soon == 5
    assert proposal.changes[0].first == Month(2026, 4)
    assert proposal.heads == sum(change.amount for change in proposal.changes)
    idle = propose_hires(plan_wanting([0] * MONTHS), (), "it_short", "hiring", SAMPLERS, 1, 2)
    assert (idle.changes, idle.too_soon, idle.left) == ((), 0, 0)


def test_every_plan_is_tried_under_every_shock():
    let_go = Change("going", Operation.ADD, 2, (SAMPLERS,), Month(2026, 4), Month(2026, 4))
    flu = Change("it_productivity", Operation.SCALE, 0.5, (), Month(2026, 5), Month(2026, 6))
    dear = Change("sales", Operation.SCALE, 1.1)
    moves = (
        Move("trim", "Trim", Month(2026, 4), (let_go,)), Move("flu", "Flu", Month(2026, 5), (flu,)),
        Move("dear", "Dearer", Month(2026, 4), (dear,)), Move("on", "On already", Month(2026, 4), (let_go,)),
    )  # fmt: skip
    plan = plan_wanting([600] * MONTHS, (Case("base", "Base", steps=(Switch("on"),)),), moves)
    people = plan.model.schedules[0]
    plans, shocks = plans_and_shocks(plan, people, "base")
    assert ([move.name for move in plans], [move.name for move in shocks]) == (["trim"], ["flu"])
    sets = [read_set(plan.model, "base", f"moves: {move.name}") for move in (plans[0], shocks[0])]
    work = Figure("work", "Work", "it_work", (), Month(2026, 1), Month(2026, 12))
    tried = try_all(plan, "base", sets, [work]).amounts[0, :, :, 0]
    base = plan.model.changes_of("base")
    alone = evaluate(plan, [(*base, let_go, flu)]).values("it_work")[..., 0].sum(axis=0)[:12].sum()
    assert tried.shape == (2, 2)
    assert tried[1, 1] == pytest.approx(alone)
    assert tried[0, 1] > tried[1, 1]
    assert np.all(tried[:, 1] < tried[:, 0])
