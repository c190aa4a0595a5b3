"""Movement of heads: opening, hires, returns, leavers, let go, closing; and their equivalent in full time."""

from widefork.core.finance.schedules.people.seats import Seats
from widefork.core.finance.schedules.people.team import Team
from widefork.core.lines import BALANCE, OverTime, Rollup


def write_movement(team: Team, seats: Seats, full_time: str) -> None:
    """Write the movement of heads of every team. Whole leavers of the teams add up to the whole of all of them.

    Nobody is let go who is not there: what is asked beyond that stands in a line of its own, and is said.
    """
    heads = team.draft.name("heads")
    start, leaving = team.assume("heads", "heads"), team.assume("leaving", "% a year")
    opening = team.write(
        "opening", "at the beginning", f"if month_number = 1 then {start} + {seats.before} else before({heads})",
        "heads", rollup=Rollup(OverTime.START),
    )  # fmt: skip
    hires = team.write("hires", "hired", f"{team.own('hires')} + {seats.joining}", "heads")
    returns = team.write("returns", "returned", team.own("returns"), "heads")
    leavers = f"{opening} * monthly_share({leaving})"
    if team.draft.value("leavers") == "whole":
        leavers = f"min({opening}, whole_flows({leavers}, {team.register.name}))"
    left = team.write("left", "left", leavers, "heads")
    asked = team.write("let_go_asked", "to be let go", f"{team.own('let_go')} + {seats.going}", "heads")
    there = f"{opening} + {hires} + {returns} - {left}"
    if seats.moved_in:
        moved_in = team.write("moved_in", "moved in", seats.moved_in, "heads")
        moved_out = team.write("moved_out", "moved out", f"min({seats.moved_out}, {opening} - {left})", "heads")
        there = f"{there} + {moved_in} - {moved_out}"
    let_go = team.write("let_go", "let go", f"max(0, min({asked}, {there}))", "heads")
    team.write("not_there", "to be let go, but not there", f"{asked} - {let_go}", "heads")
    team.write("heads", "heads", f"{there} - {let_go}", "heads", rollup=BALANCE)
    team.write("full_time", "heads, in full time", f"max(0, {heads} * {full_time} + {seats.full_time})", "heads",
               rollup=BALANCE)  # fmt: skip
