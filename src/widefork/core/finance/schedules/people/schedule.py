"""People: teams whose heads move, ramp, cost and do what is wanted of them; seats that become heads.

Standing arrangements of the trade (common practice): employer's charges are a cost of the month of work and paid the
month after; a yearly leavers' rate is compounded to a monthly one; work is the lower of demand and ramped capacity.
"""

from widefork.core.axes import Dimension
from widefork.core.finance.schedules.people.attributes import SEAT, TEAM
from widefork.core.finance.schedules.people.capacity import write_capacity
from widefork.core.finance.schedules.people.cost import write_cost
from widefork.core.finance.schedules.people.movement import write_movement
from widefork.core.finance.schedules.people.seats import write_seats
from widefork.core.finance.schedules.people.team import OF_TEAM, Team
from widefork.core.finance.schedules.register import Columns
from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind, choices

__all__ = ["PEOPLE", "SEAT", "TEAM"]


def _write(draft: Draft) -> None:
    register: Dimension = draft.value("register")
    team = Team(draft, register, Columns(draft, register, TEAM, "register"))
    work = str(draft.value("work"))
    if not work.replace(" ", "").isalpha():
        raise draft.refuse(f"What the teams do is counted in a word, such as hours; got “{work}”.", "work")
    full_time, salary = team.assume("full_time", "%"), team.assume("salary")
    seats = write_seats(draft, register, full_time, salary)
    write_movement(team, seats, full_time)
    write_cost(team, seats, salary)
    write_capacity(team)


def _words(draft: Draft) -> str:
    teams = len(draft.value("register").members)
    seats = len(draft.value("seats").members) if draft.has("seats") else 0
    told = [f"{teams} {'team' if teams == 1 else 'teams'}"]
    return ", ".join((*told, *([f"{seats} {'seat' if seats == 1 else 'seats'}"] if seats else [])))


_S = SettingKind.SERIES

PEOPLE = Schedule(
    "people",
    "Team plan",
    "People",
    "Teams and seats: heads by month, what they cost and can do, with ramps, leavers and what is wanted of them.",
    (
        Setting("register", "the teams", SettingKind.REGISTER, is_required=True),
        Setting("seats", "the seats", SettingKind.REGISTER),
        Setting("staff", "the people who are there", SettingKind.REGISTER, is_rare=True,
                hint="Each with a team, a manager and levels of skills: to fill seats from inside."),
        Setting("level_cost", "cost of training by one level", SettingKind.AMOUNT, "CUR", default=800.0, least=0,
                is_rare=True),
        Setting("level_months", "months of training for one level", SettingKind.AMOUNT, default=1.0, least=0, most=36,
                is_rare=True),
        Setting("moving_cost", "cost of moving to another region", SettingKind.AMOUNT, "CUR", default=1500.0, least=0,
                is_rare=True),
        Setting("hires", "hired, by team", SettingKind.LINES, hint="A line of your own over the teams."),
        Setting("returns", "returning, by team", SettingKind.LINES, is_rare=True),
        Setting("let_go", "let go, by team", SettingKind.LINES),
        Setting("demand", "wanted of each team", SettingKind.LINES, hint="In what the teams do."),
        Setting("work", "what the teams do is counted in", SettingKind.TEXT, default="hours"),
        Setting("charge_rate", "employer's charges", _S, "%", default=0, least=0),
        Setting("charges_paid_after", "months until charges are paid", SettingKind.WHOLE, default=1, least=0, most=12),
        Setting("opening_charges", "charges owed at the start", SettingKind.AMOUNT, default=0.0, least=0),
        Setting("pay_rise", "pay rise", _S, "%", default=0, least=-1, most=1),
        Setting("rise_month", "month of the year pay rises in", SettingKind.WHOLE, default=1, least=1, most=12),
        Setting("leavers", "those who leave", SettingKind.CHOICE, default="share", is_rare=True,
                choices=choices(share="are a share of heads each month", whole="are whole people, when one is due")),
        Setting("stretch_share", "share of what is left that others take on", _S, "%", default=0, least=0, most=1),
        Setting("stretch_limit", "stretched by at most", _S, "%", default=0, least=0, most=1),
        Setting("pooled", "share of idle capacity the same role lends elsewhere", _S, "%", default=0, least=0,
                most=1),
        Setting("lead_months", "months from decision to first day", SettingKind.WHOLE, default=2, least=0, most=24),
        Setting("heads_allowed", "heads allowed", _S, "heads", default=0, least=0),
        Setting("cost_allowed", "cost of people allowed a month", _S, "CUR", default=0, least=0),
    ),
    _write,
    {"register": "teams", "seats": "seats", "hires": ["hiring"], "demand": ["wanted"], "charge_rate": 0.2,
     "stretch_share": 0.5, "stretch_limit": 0.1},
    TEAM,
    words=_words,
    attribute_of={
        **{f"{key}_of_team": ("register", key) for key in OF_TEAM},
        "seat_share": ("seats", "share"),
        "seat_salary": ("seats", "salary"),
    },
    rollups={"salary": "full_time", "full_time_of_team": "heads", "leaving": "opening", "bonus_of_team": "pay",
             "charges_of_team": "pay", "benefits_of_team": "heads", "hire_cost": "hires", "equip_cost": "hires",
             "leave_cost": "let_go", "capacity_of_team": "ramped", "productivity": "ramped",
             "profit_per_head": "heads", "revenue_per_head": "heads"},
)  # fmt: skip
