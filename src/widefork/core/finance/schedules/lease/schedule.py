"""A lease: on the balance sheet as an asset and what is owed for it, or as a plain expense.

On the balance sheet, what is owed is the present value of the payments left, at a month's end each; a payment that
changes is remeasured for all that are left, and the asset with it. Source: IFRS 16.26, 16.29-36, 16.39, and 16.6 for
leases kept as an expense (docs/sources.md). What is put off of a payment stays owed and bears the rate until it is
caught up, or paid with the last payment.
"""

from widefork.core.axes import Month
from widefork.core.finance.schedules.annuity import annuity
from widefork.core.finance.schedules.dates import LATER, own_month
from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import COST_CAPTIONS, Setting, SettingKind, choices


def _write(draft: Draft) -> None:
    owed, asset = draft.value("opening_liability"), draft.value("opening_asset")
    if bool(owed) == draft.has("begins") and draft.value("treatment") == "balance_sheet":
        raise draft.refuse("A lease either begins in a month, or is owed already at the start; give one of them.")
    timeline = draft.model.timeline
    first: Month = draft.value("begins") or timeline.start
    last = first.plus(draft.value("term_months") - 1)
    payment = draft.assume("payment")
    is_brought = not draft.value("payment").values(timeline).any()
    month = own_month(draft, first, is_brought) if draft.has("begins") else "month"
    within = f"{month} >= {first.words} and {month} <= {last.words}"
    if draft.value("treatment") == "expense":
        paid = draft.calculate("paid", "paid", f"if {within} then {payment} else 0", draft.value("caption"))
        settles = "staff_payments" if draft.value("caption") == "people_costs" else "supplier_payments"
        draft.calculate("settled", "paid in the month", paid, settles)
        return
    instead = "Give what is owed at the start, the leased asset and the months left instead."
    draft.refuse_before_start(first, "begins", instead)
    rate = draft.assume("rate")
    monthly = f"{rate} / months_per_year"
    left = f"max(1, {last.words} - {month} + 1)"
    earlier = "0" if not owed else f"(if month_number = 1 then {payment} else before({payment}))"
    was = f"(if {month} = {first.words} then {earlier} else before({payment}))"
    liability, leased = draft.name("liability"), draft.name("asset")
    added = draft.calculate(
        "added",
        "begun or remeasured",
        f"if {within} then ({payment} - {was}) / level_payment(1, {monthly}, {left}) else 0",
    )
    interest = draft.calculate(
        "interest",
        "interest",
        f"if {within} then (before({liability}) + {added}) * {monthly} else 0",
        "interest_expense",
    )
    owing = f"before({liability}) + {added}"
    late, later = draft.assume("put_off"), draft.assume("caught_up")
    paid = f"{payment} - min({late}, {payment}) + {later} - {interest}"
    repaid = draft.calculate(
        "repaid", "repaid",
        f"if {month} = {last.words} then {owing} else (if {within} then min({owing}, {paid}) else 0)",
        "lease_repayments",
    )  # fmt: skip
    charge = draft.calculate(
        "depreciation", "depreciation", f"if {within} then (before({leased}) + {added}) / {left} else 0", "depreciation"
    )
    draft.roll("liability", "owed at month end", "", owed, (added,), (repaid,), kept_under="leases")
    draft.roll("asset", "leased asset", "right_of_use_assets", asset, (added,), (charge,))
    later_part = f"{payment} / level_payment(1, {monthly}, max(1, {last.words} - {month} - 12))"
    formula = f"if {month} >= {last.words} - 12 then 0 else min({liability}, {later_part})"
    opening = _later_at_start(draft, last.ordinal - timeline.start.ordinal + 1)
    long = draft.balance("long", "due later", formula, "leases_long", opening)
    draft.balance("short", "due within a year", f"{liability} - {long}", "leases_short", owed - opening)


def _later_at_start(draft: Draft, left: int) -> float:
    """What of the opening liability is due after twelve months."""
    owed: float = draft.value("opening_liability")
    rate, months = draft.first("rate") / 12, left - 12
    if not owed or months <= 0:
        return 0.0
    return min(owed, draft.first("payment") * annuity(rate, months))


LEASE = Schedule(
    "lease",
    "Lease",
    "Assets",
    "Payments for the use of something: as an asset and what is owed for it, or as a plain expense.",
    (
        Setting("payment", "payment a month", SettingKind.SERIES, unit="CUR", is_required=True, least=0),
        Setting("begins", "first month", SettingKind.MONTH),
        LATER,
        Setting("term_months", "months it runs", SettingKind.WHOLE, is_required=True, most=600,
                hint="For one that runs already: the months left."),
        Setting(
            "treatment", "is kept", SettingKind.CHOICE, default="balance_sheet",
            choices=choices(balance_sheet="on the balance sheet", expense="as an expense"),
        ),
        Setting("rate", "rate a year", SettingKind.SERIES, unit="% a year", default=0, least=0, most=1,
                when=("treatment", ("balance_sheet",))),
        Setting("caption", "as an expense, charged to", SettingKind.CHOICE, default="premises_costs",
                choices=COST_CAPTIONS, when=("treatment", ("expense",))),
        Setting("put_off", "put off", SettingKind.SERIES, unit="CUR", default=0, least=0, is_rare=True),
        Setting("caught_up", "caught up", SettingKind.SERIES, unit="CUR", default=0, least=0, is_rare=True),
        Setting("opening_liability", "owed at the start", SettingKind.AMOUNT, default=0.0, least=0,
                when=("treatment", ("balance_sheet",))),
        Setting("opening_asset", "leased asset at the start", SettingKind.AMOUNT, default=0.0, least=0,
                when=("treatment", ("balance_sheet",))),
    ),
    _write,
    {"payment": 500, "begins": "2026-03", "term_months": 18, "rate": 0.06},
    words=lambda draft: f"{draft.shown('payment')} a month, {draft.shown('treatment')}",
)  # fmt: skip
