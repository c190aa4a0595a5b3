"""What people cost, part by part; under which captions it stands, and when it is paid."""

from widefork.core.finance.schedules.people.attributes import KINDS
from widefork.core.finance.schedules.people.seats import Seats
from widefork.core.finance.schedules.people.team import Team
from widefork.core.finance.schedules.schedule import Late
from widefork.core.finance.schedules.setting import COST_CAPTIONS
from widefork.core.lines import BALANCE, OverMembers, OverTime, Rollup

PARTS = ("pay", "bonus", "charges", "benefits", "hiring", "equipping", "letting_go")
_CONTRACT = KINDS[2][0]


def write_cost(team: Team, seats: Seats, salary: str) -> None:
    """Write the parts of the cost, the cost itself, its posting and its payment."""
    draft, name = team.draft, team.draft.name
    rise = draft.assume("pay_rise")
    index = name("rises")
    draft.calculate(
        "rises", "pay rises since the start",
        f"if month_of_year = {draft.value('rise_month')} and month_number > 1 then before({index}) * (1 + {rise}) "
        f"else before({index})",
        unit="", rollup=BALANCE, opening=1.0,
    )  # fmt: skip
    pay = team.write("pay", "pay", f"{name('full_time')} * {salary} * {index} + {seats.pay}")
    bonus = team.write("bonus", "bonus and commission", f"{pay} * {team.assume('bonus', '%')}")
    charges = team.write("charges", "employer's charges", f"({pay} + {bonus}) * {_charge_rate(team)}")
    team.write("benefits", "benefits", f"{name('heads')} * {team.assume('benefits')}")
    hire, equip = team.assume("hire_cost"), team.assume("equip_cost")
    team.write("hiring", "hiring", f"{name('hires')} * {hire}")
    team.write("equipping", "equipping", f"{name('hires')} * {equip}")
    team.write("letting_go", "letting go", f"{name('let_go')} * {team.assume('leave_cost')}")
    parts = [name(part) for part in PARTS]
    if seats.training:
        parts.append(team.write("training", "training", seats.training))
    cost = team.write("cost", "cost of people", " + ".join(parts))
    ratio = Rollup(OverTime.RATIO, OverMembers.RATIO, cost, name("heads"))
    heads = name("heads")
    team.write(
        "cost_per_head", "cost per head", f"if {heads} = 0 then 0 else {cost} / {heads}", "CUR/head", rollup=ratio
    )
    _post(team, cost)
    _settle(team, charges)


def _charge_rate(team: Team) -> str:
    """The team's own rate where it has one; else the usual one, and none for contract staff."""
    usual, kinds = team.draft.assume("charge_rate"), team.columns.read("kind")
    takes = {key: float(rate is None and kinds[key] != _CONTRACT) for key, rate in team.columns.read("charges").items()}
    is_usual = team.build("takes_rate", "takes the usual charges", takes)
    return f"(if {is_usual} = 1 then {usual} else {team.assume('charges', '%')})"


def _post(team: Team, cost: str) -> None:
    """Each team's cost stands under its caption: who does the work sold is cost of sales."""
    words = [word for word, _ in COST_CAPTIONS]
    under = team.columns.read("posts_to")
    stands = team.build("stands", "caption, by its number", {key: words.index(word) for key, word in under.items()})
    for number, (word, label) in enumerate(COST_CAPTIONS):
        if word in under.values():
            team.draft.calculate(
                f"posted_{word}", f"cost under {label}", f"sum_over(if {stands} = {number} then {cost} else 0)", word
            )


def _settle(team: Team, charges: str) -> None:
    draft = team.draft
    after, owed = draft.value("charges_paid_after"), draft.value("opening_charges")
    history = [owed / after] * after if after else ()
    total = draft.calculate("all_charges", "charges of all teams", f"sum_over({charges})", history=history)
    rest = draft.calculate("all_pay", "pay and all else of all teams", f"{team.total('cost')} - {total}")
    paid = draft.calculate("paid", "pay and all else paid", rest, "staff_payments")
    later = f"before({total}, {after})" if after else total
    charges_paid = draft.calculate("charges_paid", "charges paid", later, "staff_payments")
    draft.roll("balance", "owed at month end", "payroll_liabilities", owed if after else 0.0, (rest, total),
               (paid, charges_paid), late=Late("staff_payments"))  # fmt: skip
