"""What a team and a seat say of themselves."""

from widefork.core.finance.schedules.setting import COST_CAPTIONS, Setting, SettingKind, choices

KINDS = choices(employee="employee", part_time="part-time", contract="contract")
_A, _M = SettingKind.AMOUNT, SettingKind.MONTH

TEAM = (
    Setting("role", "role", SettingKind.TEXT),
    Setting("region", "region", SettingKind.TEXT),
    Setting("kind", "kind", SettingKind.CHOICE, default="employee", choices=KINDS),
    Setting("heads", "heads at the start", _A, default=0.0, least=0),
    Setting("full_time", "share of full time", _A, "%", default=1.0, least=0, most=1),
    Setting("salary", "salary a month", _A, "CUR", default=0.0, least=0, hint="For full time."),
    Setting("bonus", "bonus or commission", _A, "%", default=0.0, least=0, hint="Share of pay."),
    Setting("benefits", "benefits a month", _A, "CUR", default=0.0, least=0, hint="For each head."),
    Setting("charges", "employer's charges", _A, "%", least=0, hint="Empty: the usual ones; none for contract staff."),
    Setting("capacity", "can do a month", _A, default=0.0, least=0, hint="One ramped head, full time."),
    Setting("productivity", "productivity", _A, "%", default=1.0, least=0, hint="Less in a shock."),
    Setting("ramp", "months until ramped", SettingKind.WHOLE, default=0, least=0, most=36),
    Setting("ramp_profile", "ramp by a profile", SettingKind.TEXT, hint="A profile of Frame, in place of the months."),
    Setting("return_ramp", "months until ramped, returning", SettingKind.WHOLE, default=0, least=0, most=36),
    Setting("leaving", "leaving in a year", _A, "%", default=0.0, least=0, most=1),
    Setting("hire_cost", "cost to hire", _A, "CUR", default=0.0, least=0),
    Setting("equip_cost", "cost to equip", _A, "CUR", default=0.0, least=0),
    Setting("leave_cost", "cost to let go", _A, "CUR", default=0.0, least=0),
    Setting("allowed", "heads allowed", _A, least=0, hint="Empty: nothing is said of this team alone."),
    Setting("posts_to", "stands under", SettingKind.CHOICE, default="people_costs", choices=COST_CAPTIONS),
)  # fmt: skip

SEAT = (
    Setting("role", "role", SettingKind.TEXT),
    Setting("start", "starts", _M, is_required=True),
    Setting("end", "ends", _M, hint="The last month; empty while none is planned."),
    Setting("share", "share of full time", _A, "%", least=0.01, most=1, hint="Empty: the team's."),
    Setting("salary", "salary, if different", _A, "CUR", least=0, hint="As it is at the start of the seat."),
    Setting("move", "belongs to the move", SettingKind.TEXT, hint="Then it counts where that move is switched on."),
    Setting("person", "person", SettingKind.TEXT, hint="Somebody who is there already moves, and is not hired."),
    Setting("asks", "asks for", SettingKind.TEXT, hint="Skills and their levels: sampling 3, chemistry 2."),
    Setting("training", "cost of training", _A, "CUR", least=0),
)

STAFF = (Setting("manager", "manager", SettingKind.TEXT),)
"""What the people who are there say of themselves; every other number they carry is the level of a skill."""
