"""What ramped people can do, what is wanted of them, and what comes of it; targets beside the plan.

A ramp of n months counts a new head as 1/(n+1) in the first month, 2/(n+1) in the second, and in full after n: what is
not yet ramped is the sum over j = 1..n of the last j months' hires, each divided by n + 1.
"""

from widefork.core.finance.schedules.people.ramps import HIRED, RETURNED, profile_of, ramp_weights
from widefork.core.finance.schedules.people.team import Team
from widefork.core.lines import BALANCE, OverMembers, OverTime, Rollup


def write_capacity(team: Team) -> None:
    """Write who is ramped, what they can do and, where a line says what is wanted, what comes of it."""
    name, work = team.draft.name, str(team.draft.value("work"))
    heads, full_time = name("heads"), name("full_time")
    loss = team.build("ramp_loss", "months of pay a ramp costs", _losses(team), "months")
    learning = team.write("learning", "not yet ramped", f"min({heads}, {_not_ramped(team)})", "heads", rollup=BALANCE)
    ramped = team.write("ramped", "ramped, in full time",
                        f"if {heads} = 0 then 0 else ({heads} - {learning}) * {full_time} / {heads}", "heads",
                        rollup=BALANCE)  # fmt: skip
    each = team.assume("capacity", f"{work}/head")
    productivity = team.assume("productivity", "%")
    team.write("capacity", "can be done", f"{ramped} * {each} * {productivity}", work)
    per_head = f"{name('salary')} * (1 + {name('bonus_of_team')})"
    # Who leaves is hired and equipped again, and paid while the new one is not yet ramped.
    team.write("turnover", "cost of those who left",
               f"{name('left')} * ({name('hire_cost')} + {name('equip_cost')} + {per_head} * {loss})")  # fmt: skip
    if team.draft.has("demand"):
        _write_work(team, each, work)
    _write_targets(team)


def _write_work(team: Team, each: str, work: str) -> None:
    draft, name = team.draft, team.draft.name
    capacity, heads = name("capacity"), name("heads")
    wanted = team.write("wanted", "wanted", team.own("demand"), work)
    gap = team.write("gap", "wanted beyond what can be done", f"max(0, {wanted} - {capacity})", work)
    lent = team.write("helped", "done by the same role elsewhere", _lent(team, gap, work), work)
    share, most = draft.assume("stretch_share"), draft.assume("stretch_limit")
    taken = team.write("taken_on", "taken on by stretching",
                       f"min(({gap} - {lent}) * {share}, {capacity} * {most})", work)  # fmt: skip
    done = team.write("work", "done", f"min({wanted}, {capacity}) + {lent} + {taken}", work)
    team.write("undone", "wanted and not done", f"{wanted} - {done}", work)
    team.write("utilisation", "utilisation", f"if {capacity} = 0 then 0 else {done} / {capacity}", "%",
               rollup=_ratio(done, capacity))  # fmt: skip
    able = f"{each} * {name('full_time_of_team')}"
    team.write("needed", "ramped heads needed", f"if {able} = 0 then 0 else round_up({wanted} / ({able}))", "heads",
               rollup=BALANCE)  # fmt: skip
    team.write("short", "ramped heads short", f"max(0, {name('needed')} - ({heads} - {name('learning')}))", "heads",
               rollup=BALANCE)  # fmt: skip
    team.write("work_per_head", "done per head", f"if {heads} = 0 then 0 else {done} / {heads}", f"{work}/head",
               rollup=_ratio(done, heads))  # fmt: skip
    cost = name("cost")
    one = work.removesuffix("s")
    team.write("cost_per_work", f"cost per {one}", f"if {done} = 0 then 0 else {cost} / {done}", f"CUR/{one}",
               rollup=_ratio(cost, done))  # fmt: skip


def _lent(team: Team, gap: str, work: str) -> str:
    """The formula of what idle teams of the same role do for one that is short, shared out by what each is short of."""
    draft, name = team.draft, team.draft.name
    roles: dict[str, list[str]] = {}
    for (member,), role in team.columns.read("role").items():
        if role:
            roles.setdefault(role, []).append(member)
    shared = [role for role, members in roles.items() if len(members) > 1]
    if not shared:
        if draft.has("pooled"):
            draft.notices.append("No two teams have the same role, so none can help another. Give them a role.")
        return "0"
    pooled = draft.assume("pooled")
    idle = team.write(
        "idle", "could be done beyond what is wanted", f"max(0, {name('capacity')} - {name('wanted')})", work
    )
    every = {key: shared.index(role) + 1 if role in shared else 0 for key, role in team.columns.read("role").items()}
    which = team.build("role_number", "role, by its number", every)
    formula = "0"
    for number, role in enumerate(shared, 1):
        short = f"sum_over(if {which} = {number} then {gap} else 0)"
        spare = f"{pooled} * sum_over(if {which} = {number} then {idle} else 0)"
        part = draft.calculate(f"lent_{number}", f"lent among {role}", f"min({spare}, {short})", unit=work)
        formula = f"if {which} = {number} and {gap} > 0 then {part} * {gap} / {short} else ({formula})"
    return formula


def _write_targets(team: Team) -> None:
    draft = team.draft
    heads, cost = team.total("heads"), team.total("cost")
    draft.calculate("profit_per_head", "EBITDA per head a month", f"if {heads} = 0 then 0 else ebitda / {heads}",
                    unit=f"{draft.model.currency}/head")  # fmt: skip
    draft.calculate("revenue_per_head", "revenue per head a month", f"if {heads} = 0 then 0 else revenue / {heads}",
                    unit=f"{draft.model.currency}/head")  # fmt: skip
    said = {key: float(value is not None) for key, value in team.columns.read("allowed").items()}
    if any(said.values()):
        which = team.build("is_allowed", "whether anything is said of it", said)
        team.write("team_gap", "heads beyond what the team is allowed",
                   f"if {which} = 0 then 0 else {draft.name('heads')} - {team.assume('allowed', 'heads')}", "heads",
                   rollup=BALANCE)  # fmt: skip
    if draft.has("heads_allowed"):
        allowed = draft.assume("heads_allowed", rollup=BALANCE)
        draft.calculate("heads_gap", "heads beyond what is allowed", f"{heads} - {allowed}", unit="heads",
                        rollup=BALANCE)  # fmt: skip
    if draft.has("cost_allowed"):
        draft.calculate("cost_gap", "cost beyond what is allowed", f"{cost} - {draft.assume('cost_allowed')}")


def _ratio(above: str, below: str) -> Rollup:
    return Rollup(OverTime.RATIO, OverMembers.RATIO, above, below)


def _losses(team: Team) -> dict[tuple[str, ...], float]:
    """Months of work a new head does not yet do, by team."""
    return {(member,): sum(1 - weight for weight in ramp_weights(team.draft, member)) for member in team.register}


def _not_ramped(team: Team) -> str:
    """The formula of heads not yet ramped: teams by their ramp, those hired and those who returned."""
    pieces = []
    has_moved = any(line.name == team.draft.name("moved_in") for line in team.draft.lines)
    for flow, part in (("hires", HIRED), ("returns", RETURNED), *((("moved_in", RETURNED),) if has_moved else ())):
        months, named = team.columns.read(part), team.columns.read("ramp_profile")
        ramps: dict[str, list[tuple[str, ...]]] = {}
        line = team.draft.name(flow)
        for key, count in months.items():
            if part == HIRED and named[key]:
                profile = profile_of(team.draft.model.profiles, key[0], named[key], team.draft)
                ramps.setdefault(f"running_total({line}) - ramped({line}, {profile.name})", []).append(key)
            elif count:
                parts = " + ".join(f"trailing({line}, {length})" for length in range(1, count + 1))
                ramps.setdefault(f"({parts}) / {count + 1}", []).append(key)
        if not ramps:
            continue
        numbers = {key: number for number, keys in enumerate(ramps.values(), 1) for key in keys}
        which = team.build(f"{flow}_ramp", "which ramp, by its number", {key: numbers.get(key, 0) for key in months})
        formula = "0"
        for number, ramp in enumerate(ramps, 1):
            formula = f"if {which} = {number} then {ramp} else ({formula})"
        pieces.append(f"({formula})")
    return " + ".join(pieces) or "0"
