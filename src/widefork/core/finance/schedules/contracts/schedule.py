"""A list of contracts: invoiced at the beginning of each period, earned by the month, held or hoped for.

A contract with an end is renewed for as long again, each time with its chance of renewal. Hoped-for ones count with
their probability by default: an expected value, as in any list of open offers (common practice). What is invoiced ahead
is owed as service until it is earned (IFRS 15.106, docs/sources.md).
"""

from typing import Any

from widefork.core.axes import Dimension
from widefork.core.finance.schedules.book import summed
from widefork.core.finance.schedules.dates import shifts
from widefork.core.finance.schedules.register import FAR_AHEAD, Columns
from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Role, Setting, SettingKind, choices
from widefork.core.finance.schedules.spread import unposted
from widefork.core.lines import BALANCE, NO_TOTAL

_RHYTHMS = choices(monthly="every month", quarterly="every quarter", yearly="every year")
_MONTHS = {"monthly": 1, "quarterly": 3, "yearly": 12}

ATTRIBUTES = (
    Setting("fee", "fee", SettingKind.AMOUNT, is_required=True, least=0, hint="For each period of its rhythm."),
    Setting("rhythm", "invoiced", SettingKind.CHOICE, default="monthly", choices=_RHYTHMS),
    Setting("start", "starts", SettingKind.MONTH, is_required=True, hint="The month; also before the model begins."),
    Setting("end", "ends", SettingKind.MONTH, hint="The last month; empty while no end is agreed."),
    Setting("renewal", "renewed", SettingKind.AMOUNT, "%", default=0.0, least=0, most=1, hint="The chance."),
    Setting("status", "is", SettingKind.CHOICE, default="held", choices=choices(held="held", hoped="hoped for")),
    Setting("probability", "probability", SettingKind.AMOUNT, "%", default=1.0, least=0, most=1, hint="If hoped for."),
)


def _write(draft: Draft) -> None:
    register: Dimension = draft.value("register")
    columns = Columns(draft, register, ATTRIBUTES, "register")
    over: dict[str, Any] = {"dimensions": (register.name,)}
    starts, ends, rhythm = map(columns.read, ("start", "end", "rhythm"))
    for key in starts:
        if ends[key] is not None and ends[key] < starts[key]:
            raise draft.refuse(f"{key[0]} ends in {ends[key].label}, before it starts.", "register")
    fee, renewal = columns.assume("fee", "CUR"), columns.assume("renewal")
    chance = columns.assume("probability")
    lengths = {key: FAR_AHEAD if ends[key] is None else ends[key].ordinal - starts[key].ordinal + 1 for key in starts}
    begins = columns.build("starts", "first month, by its number", {key: m.ordinal for key, m in starts.items()})
    length = columns.build("length", "months agreed", lengths)
    period = columns.build("period", "months an invoice covers", {key: _MONTHS[word] for key, word in rhythm.items()})
    is_held = {key: float(word == "held") for key, word in columns.read("status").items()}
    held = columns.build("is_held", "held rather than hoped for", is_held)

    by = shifts(draft, "", register, starts, {key: not amount for key, amount in columns.read("fee").items()})
    age = draft.calculate("age", "months since it started", f"month - {begins} - {by}", unit="", **over)
    terms = draft.calculate("terms", "times renewed", f"max(0, round_down({age} / {length}))", unit="", **over)
    within = draft.calculate("within", "month of its term, from 0", f"{age} - {length} * {terms}", unit="", **over)
    running = draft.calculate(
        "running", "still running, as a chance", f"if {age} < 0 then 0 else {renewal} ^ {terms}", unit="%", **over
    )
    counted = {
        "weighted": f"if {held} = 1 then {running} else {running} * {chance}",
        "held": f"if {held} = 1 then {running} else 0",
        "all": running,
    }[draft.value("counts")]
    counts = draft.calculate("counted", "counts with", counted, unit="%", **over)
    begun = draft.calculate(
        "begun", "a period begins",
        f"if {within} / {period} = round_down({within} / {period}) and {age} >= 0 then 1 else 0", unit="", **over,
    )  # fmt: skip
    # What an invoice covers ends with the term, so that a year's fee for half a year is half of it.
    covered = f"min({period}, {length} - {within})"
    invoice = f"{fee} / {period} * {covered} * {counts}"
    each = draft.calculate("billed_of_each", "invoiced, of each", f"if {begun} = 1 then {invoice} else 0", **over)
    # A change of the fee or the chance is felt from the next invoice on: what was invoiced is earned in full.
    rate = draft.name("earned_of_each")
    draft.calculate(
        "earned_of_each", "earned",
        f"if {begun} = 1 or month_number = 1 then {fee} / {period} * {counts} else before({rate})", **over,
    )  # fmt: skip
    draft.calculate("billed", "to invoice, without tax", f"sum_over({each})")
    earned = draft.calculate("earned", "earned", f"sum_over({rate})", "revenue")
    billed = draft.calculate(
        "invoiced", "invoiced, by your line", summed(unposted(draft, draft.lines_of("of"), _STARTS))
    )
    draft.roll("balance", "owed as service", "deferred_revenue", _ahead(draft, columns, lengths), (billed,), (earned,))
    _write_reading(draft, f"{fee} / {period} * {running}", held, chance, register)


_STARTS = "Contracts start from what is invoiced and post what is earned"


def _ahead(draft: Draft, columns: Columns, lengths: dict[tuple[str, ...], int]) -> float:
    """What was invoiced before the first month for months from it on, in currency."""
    start, total = draft.model.timeline.start, 0.0
    starts, rhythm, fee = columns.read("start"), columns.read("rhythm"), columns.read("fee")
    status, chance, renewal = columns.read("status"), columns.read("probability"), columns.read("renewal")
    for key, begins in starts.items():
        age, months = start.ordinal - begins.ordinal, _MONTHS[rhythm[key]]
        terms, within = divmod(max(0, age), lengths[key])
        open_months = min(-within % months, lengths[key] - within)
        if age <= 0 or not open_months:
            continue
        counts = {"weighted": chance[key], "held": 0.0, "all": 1.0}[draft.value("counts")]
        weight = renewal[key] ** terms * (1.0 if status[key] == "held" else counts)
        total += fee[key] / months * open_months * weight
    return total


def _write_reading(draft: Draft, monthly: str, held: str, chance: str, register: Dimension) -> None:
    """Held, hoped for, weighted, how many run, and how many more a target needs."""
    fee = draft.calculate("monthly_fee", "fee a month", monthly, dimensions=(register.name,))
    sure = draft.calculate("held", "held", f"sum_over({fee} * {held})")
    draft.calculate("hoped", "hoped for, in full", f"sum_over({fee}) - {sure}")
    likely = f"{sure} + sum_over({fee} * (1 - {held}) * {chance})"
    weighted = draft.calculate("weighted", "held, and hoped for by its probability", likely)
    each = draft.assume_each(
        "each", "counts as", "contracts", register, {(one,): 1.0 for one in register}, is_fixed=True
    )
    count = draft.calculate(
        "count", "contracts, hoped-for ones by their probability",
        f"sum_over({each} * {draft.name('running')} * (if {held} = 1 then 1 else {chance}))", rollup=BALANCE,
        unit="contracts",
    )  # fmt: skip
    if draft.has("target"):
        target = draft.assume("target")
        missing = draft.calculate("missing", "short of the target", f"max(0, {target} - {weighted})")
        draft.calculate(
            "needed", "contracts more for the target",
            f"if {weighted} = 0 then 0 else round_up({missing} / ({weighted} / {count}))", rollup=BALANCE,
            unit="contracts",
        )  # fmt: skip


def _words(draft: Draft) -> str:
    members = draft.value("register").members
    return f"{len(members)} {'contract' if len(members) == 1 else 'contracts'}"


CONTRACTS = Schedule(
    "contracts",
    "Contracts",
    "Trade",
    "Named contracts, each with its fee, rhythm, term, renewal and probability; invoiced ahead, earned by the month.",
    (
        Setting("register", "the list", SettingKind.REGISTER, is_required=True),
        Setting("of", "the line invoiced", SettingKind.LINES, is_required=True, role=Role.SPREAD_REVENUE,
                hint="One of your own that reads what this schedule has to invoice."),
        Setting("counts", "hoped-for ones count", SettingKind.CHOICE, default="weighted",
                choices=choices(weighted="by their probability", held="not at all", all="in full")),
        Setting("target", "fees wanted a month", SettingKind.SERIES, "CUR", default=0, least=0,
                hint="Then it says how many contracts more that needs."),
    ),
    _write,
    {"register": "contracts", "of": ["retainers"], "target": 5000},
    ATTRIBUTES,
    words=_words,
    rollups=dict.fromkeys(("fee", "age", "terms", "within", "running", "counted", "begun"), NO_TOTAL),
)  # fmt: skip
