"""Dates that can come later or sooner: a changeable line says by how many months, and a move may bring it along.

What began already, in an actual month, stays where it is. What only a change brings into being, because it counts or
costs nothing by itself, can come later at any time.
"""

from collections.abc import Mapping

from widefork.core.axes import Dimension, Month
from widefork.core.finance.schedules.schedule import Draft
from widefork.core.finance.schedules.setting import Setting, SettingKind
from widefork.core.lines import BALANCE, MemberKey

LATER = Setting(
    "later",
    "comes later by",
    SettingKind.SERIES,
    unit="months",
    default=0,
    hint="Whole months, as of the first plan month; below 0 for sooner. A move can bring it along.",
    is_rare=True,
)


def own_month(draft: Draft, planned: Month, is_brought: bool) -> str:
    """Write the line that says how much later it all comes; return the counter to read in place of ``month``.

    Parameters
    ----------
    planned : the month it begins. is_brought : whether it is nothing until a change brings it.
    """
    later, first = draft.assume("later"), draft.model.timeline.first_plan
    if planned < first and not is_brought:
        return "month"
    by = draft.name("later_by")
    soonest = min(0, first.ordinal - planned.ordinal)
    draft.calculate(
        "later_by", "comes later by, whole months", _held(by, f"max({_whole(later)}, {soonest})", first),
        unit="months", rollup=BALANCE,
    )  # fmt: skip
    return draft.calculate("own_month", "month by its own calendar", f"month - {by}", unit="", rollup=BALANCE)


def shifts(
    draft: Draft, part: str, register: Dimension, begins: Mapping[MemberKey, Month], brought: Mapping[MemberKey, bool]
) -> str:
    """Write, for each member of a register, by how many whole months it comes later; return the line's name.

    Parameters
    ----------
    part : before the names of the lines. begins : as planned; a member without one stays. brought : see ``own_month``.
    """
    first = draft.model.timeline.first_plan
    members: list[MemberKey] = [(member,) for member in register]
    later = draft.assume_each(f"{part}later", "comes later by", "months", register, dict.fromkeys(members, 0.0))
    can = {key: float(key in begins and (begins[key] >= first or brought.get(key, False))) for key in members}
    may = draft.assume_each(f"{part}can_come_later", "can come later", "", register, can, is_fixed=True)
    soonest = {key: float(min(0, first.ordinal - begins[key].ordinal)) if key in begins else 0.0 for key in members}
    least = draft.assume_each(f"{part}soonest", "soonest, in months", "", register, soonest, is_fixed=True)
    return draft.calculate(
        f"{part}later_by", "comes later by, whole months",
        _held(draft.name(f"{part}later_by"), f"{may} * max({_whole(later)}, {least})", first),
        unit="months", rollup=BALANCE, dimensions=(register.name,),
    )  # fmt: skip


def _whole(later: str) -> str:
    return f"round_down({later} + 0.5)"


def _held(name: str, value: str, first: Month) -> str:
    """The value of the first plan month in all plan months; 0 before."""
    return f"if month < {first.words} then 0 else (if month = {first.words} then {value} else before({name}))"
