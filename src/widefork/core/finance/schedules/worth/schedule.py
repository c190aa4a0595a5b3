"""What the business is worth: its free cash flow discounted to the end of the last actual month.

Free cash flow = EBIT − tax as if there were no debt (losses kept) + depreciation − what working capital takes − what is
spent on assets; the discounted cash flow method of any text, such as Brealey, Myers and Allen, Principles of Corporate
Finance (docs/sources.md). Month k after the last actual one counts (1 + r)^(−k/12) of itself, or (1 + r)^(−(k − ½)/12)
where flows come in the middle of their months; r is a yearly effective rate and may differ by month.

Beyond the plan, the normal flow of the last twelve months goes on every month and grows: EBIT less tax at the full
rate, what is spent on assets being what is depreciated, less what working capital needs to grow along. Monthly, so
that its convention is that of the plan: normal / 12 × q / (1 − q) with q = ((1 + g) / (1 + r))^(1/12), which has a
value where r > g only. Or the EBITDA of the last twelve months times a multiple.
"""

from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind, choices
from widefork.core.finance.statements.captions import WORKING_ASSETS, WORKING_LIABILITIES
from widefork.core.graph.model import ScheduleSettings
from widefork.core.lines import BALANCE, NO_TOTAL

KIND = "worth"
YEAR = 12
_PARTS = (
    ("risk_free", "rate without risk", 0.025),
    ("equity_premium", "premium of shares over it", 0.055),
    ("further_premium", "further premium, such as for size", 0.03),
    ("debt_rate", "rate of debt", 0.055),
)
"""The rates a discount rate is built up from, with usual ones, invented."""


def _write(draft: Draft) -> None:
    timeline = draft.model.timeline
    tax_rate, cover, losses = _tax_terms(draft)
    tax = _write_tax(draft, tax_rate, cover, losses)
    flow = _write_flow(draft, tax)
    rate = _write_rate(draft, tax_rate)
    is_known = f"month <= {timeline.last_actual.words}" if timeline.last_actual is not None else ""
    factor = draft.name("factor")
    later = f"before({factor}) * (1 + {rate}) ^ (0 - 1 / {YEAR})"
    draft.balance(
        "factor", "what 1 at a month's end is worth today", f"if {is_known} then 1 else {later}" if is_known else later,
        "", 1.0, unit="",
    )  # fmt: skip
    half = f" * (1 + {rate}) ^ (1 / {2 * YEAR})" if draft.value("within_month") == "middle" else ""
    counted = f"{flow} * {factor}{half}"
    present = draft.calculate(
        "present", "free cash flow, worth today", f"if {is_known} then 0 else {counted}" if is_known else counted
    )
    end = _write_end(draft, rate, tax_rate, half)
    whole = present
    if end:
        beyond = draft.calculate("end_present", "beyond the plan, worth today", f"{end} * {factor}")
        whole = f"{present} + {beyond}"
    business = draft.calculate("business", "worth of the business", whole)
    owed = _write_net_debt(draft)
    draft.calculate(
        "equity", "worth to the owners",
        f"{business} - (if month = {timeline.first_plan.words} then before({owed}) else 0)",
    )  # fmt: skip


def _tax_terms(draft: Draft) -> tuple[str, str, float]:
    """The line of the tax rate, of the share of a profit losses may cover, and the losses at the start."""
    tax = next((s for s in draft.model.schedules if s.kind == "income_tax"), None)
    if tax is None or draft.has("tax_rate"):
        return draft.assume("tax_rate"), "", 0.0
    cover = f"{tax.name}_loss_cover" if "loss_cover" in tax.settings else ""
    rate = draft.calculate("tax_rate", "tax rate", f"{tax.name}_rate", rollup=NO_TOTAL, unit="%")
    return rate, cover, float(tax.settings.get("opening_losses", 0.0))


def _write_tax(draft: Draft, rate: str, cover: str, losses: float) -> str:
    """Tax on EBIT by the fiscal year, what was lost in earlier years taken off first: as if there were no debt."""
    so_far = draft.calculate(
        "profit_to_date", "EBIT this fiscal year", "year_to_date(operating_profit)", rollup=BALANCE
    )
    available, left = draft.name("losses_available"), draft.name("losses_left")
    draft.balance(
        "losses_available", "losses usable this year, without debt",
        f"if fiscal_month = 1 then before({left}) else before({available})", "", losses,
    )  # fmt: skip
    usable = f"min({available}, max(0, {so_far}) * {cover})" if cover else available
    used = draft.balance("losses_used", "losses used this year, without debt", f"max(0, min({usable}, {so_far}))")
    draft.balance(
        "losses_left", "losses carried forward, without debt", f"{available} - {used} + max(0, -{so_far})", "", losses
    )
    to_date = draft.balance(
        "tax_to_date", "tax on the year so far, without debt", f"{rate} * (max(0, {so_far}) - {used})"
    )
    return draft.calculate(
        "tax", "tax as if without debt", f"{to_date} - (if fiscal_month = 1 then 0 else before({to_date}))"
    )


def _leases(draft: Draft) -> list[ScheduleSettings]:
    """The leases that stand on the balance sheet."""
    kept = "balance_sheet"
    return [s for s in draft.model.schedules if s.kind == "lease" and s.settings.get("treatment", kept) == kept]


def _write_flow(draft: Draft, tax: str) -> str:
    """Free cash flow, each of its parts a line."""
    added = draft.calculate(
        "not_cash", "depreciation, and what else is no cash", "depreciation - grants_released - disposal_result"
    )
    released = [f"{name}_released" for name in WORKING_ASSETS]
    owed = [f"{name}_added" for name in WORKING_LIABILITIES]
    working = draft.calculate("working", "set free from working capital", " + ".join([*released, *owed]))
    begun = [f"{lease.name}_added" for lease in _leases(draft)] if draft.value("leases") == "debt" else []
    spent = ["capital_expenditure", "intangibles_bought", *begun]
    spending = draft.calculate(
        "spending", "spent on assets, less what came for them",
        f"{' + '.join(spent)} - disposal_proceeds - asset_grants_received",
    )  # fmt: skip
    formula = f"operating_profit - {tax} + {added} + {working} - {spending}"
    if draft.value("leases") == "flows" and _leases(draft):
        paid = " + ".join(f"{lease.name}_interest + {lease.name}_repaid" for lease in _leases(draft))
        formula += f" - {draft.calculate('lease_payments', 'paid for leases', paid)}"
    return draft.calculate("flow", "free cash flow", formula)


def _write_rate(draft: Draft, tax_rate: str) -> str:
    """The discount rate: given, or built up from what owners and lenders want, by their shares."""
    if draft.value("rate_from") == "given":
        return draft.assume("rate")
    free, premium, further, debt = (draft.assume(key) for key, _, _ in _PARTS)
    beta, share = draft.assume("beta"), draft.assume("debt_share")
    owners = f"{free} + {beta} * {premium} + {further}"
    return draft.calculate(
        "rate", "discount rate, built up", f"(1 - {share}) * ({owners}) + {share} * {debt} * (1 - {tax_rate})",
        rollup=NO_TOTAL, unit="% a year",
    )  # fmt: skip


def _write_end(draft: Draft, rate: str, tax_rate: str, half: str) -> str:
    """What goes on beyond the plan, valued at its end; empty for nothing."""
    way, end = draft.value("beyond"), draft.model.timeline.end
    is_end = f"month = {end.words}"
    if len(draft.model.timeline.months) < YEAR:
        draft.notices.append("Nothing is counted beyond the plan: it takes twelve months to say what goes on.")
        return ""
    if way == "nothing":
        return ""
    if way == "multiple":
        multiple = draft.assume("multiple")
        worth = f"{multiple} * trailing(ebitda, {YEAR})"
        return draft.calculate("end_value", "beyond the plan, at its end", f"if {is_end} then {worth} else 0")
    growth = draft.assume("growth")
    tied = " + ".join(WORKING_ASSETS) + "".join(f" - {name}" for name in WORKING_LIABILITIES)
    needed = draft.balance("working_capital", "working capital", tied)
    profit = f"trailing(operating_profit, {YEAR})"
    normal = draft.calculate(
        "normal_flow", "normal flow of the last twelve months",
        f"if {is_end} then {profit} * (1 - {tax_rate}) - {growth} * {needed} / months_per_year * {YEAR} else 0",
    )  # fmt: skip
    shrinks = f"((1 + {growth}) / (1 + {rate})) ^ (1 / {YEAR})"
    # Where it does not shrink it has no end, and so no value: dividing by 0 says so.
    worth = f"{normal} / {YEAR} * {shrinks} / max(0, 1 - {shrinks}){half}"
    return draft.calculate("end_value", "beyond the plan, at its end", f"if {is_end} then {worth} else 0")


def _write_net_debt(draft: Draft) -> str:
    """What is owed to lenders, and what nobody lends, less cash and deposits; leases unless they are in the flows."""
    leases = " + leases" if draft.value("leases") == "debt" else ""
    return draft.balance("net_debt", "net debt", f"loans{leases} + overdraft + not_funded - cash - deposits")


WORTH = Schedule(
    KIND,
    "Worth of the business",
    "Money",
    "Free cash flow discounted to the end of the last actual month, what goes on beyond the plan, and net debt.",
    (
        Setting("rate_from", "discount rate", SettingKind.CHOICE, default="given",
                choices=choices(given="given", parts="built up from parts")),
        Setting("rate", "discount rate", SettingKind.SERIES, "% a year", default=0.12, least=0),
        *(Setting(key, label, SettingKind.SERIES, "% a year", default=usual, least=0) for key, label, usual in _PARTS),
        Setting("beta", "how much riskier than all shares", SettingKind.SERIES, default=1.2, least=0),
        Setting("debt_share", "share of debt", SettingKind.SERIES, "%", default=0.2, least=0, most=1),
        Setting("within_month", "flows come at", SettingKind.CHOICE, default="end",
                choices=choices(end="a month's end", middle="the middle of a month")),
        Setting("beyond", "beyond the plan", SettingKind.CHOICE, default="growth",
                choices=choices(growth="goes on and grows", multiple="EBITDA times a multiple", nothing="nothing")),
        Setting("growth", "growth beyond the plan", SettingKind.SERIES, "% a year", default=0.02),
        Setting("multiple", "multiple of EBITDA", SettingKind.SERIES, default=6.0, least=0),
        Setting("leases", "leases are", SettingKind.CHOICE, default="debt",
                choices=choices(debt="owed, and taken off with net debt", flows="paid for out of the flows")),
        Setting("tax_rate", "tax rate, if not the plan's", SettingKind.SERIES, "%", default=0.25, least=0, most=1),
    ),
    _write,
    {"rate": 0.12, "growth": 0.02, "tax_rate": 0.25},
    words=lambda draft: (
        f"{draft.shown('rate')} a year" if draft.value("rate_from") == "given" else "a rate built up from parts"
    ),
)  # fmt: skip
