"""Answers, worked out once for the model as it stands."""

from dataclasses import replace

from widefork.core.analysis.goal_seek import (
    Instead,
    Smallest,
    Solution,
    in_proportion,
    reach_instead,
    seek_goal,
    smallest_change,
)
from widefork.core.analysis.lever import OneLever, SwitchLever
from widefork.core.changes import Change
from widefork.web.pages.work_back.sentence import Asked, WayAsked
from widefork.web.shared.context import View, worked_out
from widefork.web.shared.jobs import Told


def lever_in(lever: OneLever, case: str) -> OneLever:
    """Return a lever as it is pulled in another case: a move is switched where that one has it."""
    return replace(lever, case=case) if isinstance(lever, SwitchLever) else lever


def key_of(asked: Asked, case: str) -> tuple[object, ...]:
    """Return what an answer is known by."""
    return (case, *asked.pairs())


def changes_in(view: View, case: str) -> tuple[Change, ...]:
    """Return the changes of a case, with the sketch."""
    return view.snapshot.model.changes_of(case)


def solved(view: View, asked: Asked, case: str) -> Solution:
    """Return the answer of one lever, or of several in proportion, in a case.

    Raises
    ------
    InvalidValue, UnknownName, ChangeRefused: what cannot be asked.
    """
    plan, changes = view.snapshot.plan, changes_in(view, case)

    def work(_: Told) -> Solution:
        if asked.is_several:
            own = [replace(each, lever=lever_in(each.lever, case)) for each in asked.spanned]
            together = in_proportion(plan, changes, asked.wanted[0], own)
            return seek_goal(plan, changes, asked.goal_of(together, 0.0, 1.0))
        one = asked.spanned[0]
        return seek_goal(plan, changes, asked.goal_of(lever_in(one.lever, case), one.low, one.high))

    return worked_out(view, ("solved", *key_of(asked, case)), work)


def smallest(view: View, asked: Asked, case: str, without: int = -1) -> Smallest:
    """Return the smallest change of all levers in a case, perhaps without one of them; raises as ``solved``."""
    plan, changes = view.snapshot.plan, changes_in(view, case)

    def work(_: Told) -> Smallest:
        bounded = [
            replace(each, lever=lever_in(each.lever, case)).bounded(lever.weight)
            for place, (each, lever) in enumerate(zip(asked.spanned, asked.levers, strict=True))
            if place != without
        ]
        return smallest_change(plan, changes, asked.wanted, bounded, asked.in_units)

    return worked_out(view, ("smallest", without, *key_of(asked, case)), work)


def instead(view: View, asked: Asked, case: str) -> tuple[Instead, ...]:
    """Return the assumptions that could reach the goal alone; raises as ``solved``."""
    plan, changes = view.snapshot.plan, changes_in(view, case)
    goal = solved(view, asked, case).goal
    return worked_out(
        view, ("instead", *key_of(asked, case)), lambda told: reach_instead(plan, changes, goal, told=told)
    )


def is_smallest(asked: Asked) -> bool:
    """Whether the smallest change over several is asked for."""
    return asked.is_several and asked.way is WayAsked.SMALLEST
