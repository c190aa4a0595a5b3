"""Seats: planned positions, each with a start and an end, that become heads of their teams month by month."""

from dataclasses import dataclass
from typing import Any

from widefork.core.axes import Dimension
from widefork.core.finance.schedules.dates import shifts
from widefork.core.finance.schedules.people.attributes import SEAT
from widefork.core.finance.schedules.register import FAR_AHEAD, Columns
from widefork.core.finance.schedules.schedule import Draft
from widefork.core.lines import BALANCE


@dataclass(frozen=True)
class Seats:
    """Formulas over the teams of what seats bring, each ``0`` without seats.

    Parameters
    ----------
    before : heads there before the first month. joining, going : in the month. full_time : what their shares of full
        time differ by from their team's. pay : what their salaries differ by, after rises. Both go where the heads go:
        of three seats in a team of 2.4 heads, 80 %.
    """

    before: str = "0"
    joining: str = "0"
    going: str = "0"
    full_time: str = "0"
    pay: str = "0"
    moved_in: str = ""
    moved_out: str = ""
    training: str = ""


def write_seats(draft: Draft, teams: Dimension, full_time: str, salary: str) -> Seats:
    """Write the lines of the seats, if there are any; return what the teams read of them."""
    if not draft.has("seats"):
        return Seats()
    register: Dimension = draft.value("seats")
    columns = Columns(draft, register, SEAT, "seats")
    mapping = register.mapping(teams.name)
    for seat in register.members:
        if seat not in mapping:
            raise draft.refuse(f"{seat} needs a team, one of {', '.join(teams.members[:6])}.", "seats")
    starts, ends = columns.read("start"), columns.read("end")
    for key, first in starts.items():
        if ends[key] is not None and ends[key] < first:
            raise draft.refuse(f"{key[0]} ends in {ends[key].label}, before it starts in {first.label}.", "seats")
    over: dict[str, Any] = {"dimensions": (register.name,)}
    own = {key: float(not move) for key, move in columns.read("move").items()}
    counts = draft.assume_each("seat_counts", "seat counts", "heads", register, own)
    begins = columns.build("seat_begins", "first month, by its number", {k: m.ordinal for k, m in starts.items()})
    by = shifts(draft, "seat_", register, starts, {key: bool(move) for key, move in columns.read("move").items()})
    until = {key: FAR_AHEAD if month is None else month.ordinal for key, month in ends.items()}
    last = columns.build("seat_ends", "last month, by its number", until)

    def counted(part: str, label: str, when: str, **more: Any) -> str:
        return draft.calculate(part, label, f"if {when} then {counts} else 0", unit="heads", **over, **more)

    there = counted("seat_there", "seat filled", f"month >= {begins} + {by} and month <= {last} + {by}", rollup=BALANCE)
    joins = counted("seat_joins", "seat begins", f"month = {begins} + {by}")
    goes = counted("seat_goes", "seat ends", f"month = {last} + {by} + 1")
    first = draft.model.timeline.start
    earlier = counted("seat_before", "seat filled before the first month",
                      f"{begins} < {first.ordinal} and {last} >= {first.ordinal - 1}", rollup=BALANCE)  # fmt: skip
    paid_share, paid = _terms(draft, register, columns, full_time)
    differs = f"{there} * ({paid_share} - spread_to({full_time}, {register.name}))"
    rises = draft.name("seat_rises")
    is_risen = f"month > {begins} + {by} and month_number > 1 and month_of_year = {draft.value('rise_month')}"
    draft.calculate("seat_rises", "pay rises since the seat begins",
                    f"if {is_risen} then before({rises}) * (1 + {draft.name('pay_rise')}) else before({rises})",
                    unit="", rollup=BALANCE, opening=1.0, **over)  # fmt: skip
    usual = f"spread_to({salary}, {register.name}) * {draft.name('rises')}"
    more = f"{there} * {paid_share} * (if {paid} = 0 then 0 else {paid} * {rises} - {usual})"
    filled = draft.calculate("seats_filled", "seats filled", f"sum_by({there}, {teams.name})", unit="heads",
                             rollup=BALANCE, dimensions=(teams.name,))  # fmt: skip
    held = f"(if {filled} = 0 then 0 else min(1, {draft.name('heads')} / {filled}))"
    moved_in, moved_out, training = _internal(draft, teams, register, columns, joins)
    joining = f"sum_by({joins}, {teams.name})"
    return Seats(
        f"sum_by({earlier}, {teams.name})",
        f"{joining} - {moved_in}" if moved_in else joining,
        f"sum_by({goes}, {teams.name})",
        f"sum_by({differs}, {teams.name}) * {held}",
        f"sum_by({more}, {teams.name}) * {held}",
        moved_in,
        moved_out,
        training,
    )


def _terms(draft: Draft, register: Dimension, columns: Columns, full_time: str) -> tuple[str, str]:
    """The share of full time and the salary of every seat, where they differ from the team's."""
    shares = {key: value or 0.0 for key, value in columns.read("share").items()}
    share = draft.assume_each("seat_share", "share of full time, 0 for the team's", "%", register, shares)
    salaries = {key: value or 0.0 for key, value in columns.read("salary").items()}
    unit = f"{draft.model.currency}/head"
    paid = draft.assume_each("seat_salary", "salary of the seat, 0 for the team's", unit, register, salaries)
    return f"(if {share} = 0 then spread_to({full_time}, {register.name}) else {share})", paid


def _internal(
    draft: Draft, teams: Dimension, register: Dimension, columns: Columns, joins: str
) -> tuple[str, str, str]:
    """Seats that people who are there already take: they leave their own team for it, and may be trained."""
    staff: Dimension | None = draft.value("staff") if draft.has("staff") else None
    own_team = staff.mapping(teams.name) if staff is not None else {}
    comes_from = {seat: own_team[person] for (seat,), person in columns.read("person").items() if person in own_team}
    if not comes_from:
        return "", "", ""
    inside = columns.build("seat_inside", "filled from inside", {(s,): float(s in comes_from) for s in register})
    pairs: dict[tuple[str, ...], float] = {
        (seat, team): float(comes_from.get(seat) == team) for seat in register for team in teams
    }
    out = draft.assume_pairs("seat_from", "the team somebody comes from", (register, teams), pairs)
    costs = {key: value or 0.0 for key, value in columns.read("training").items()}
    cost = draft.assume_each("seat_training", "cost of training", f"{draft.model.currency}/head", register, costs)
    return (
        f"sum_by({joins} * {inside}, {teams.name})",
        f"sum_over({joins} * {out}, {register.name})",
        f"sum_by({joins} * {cost}, {teams.name})",
    )
