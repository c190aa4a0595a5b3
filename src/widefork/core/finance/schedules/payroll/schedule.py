"""Payroll: pay, the employer's charges and benefits on it, when each is paid, and support received for it later.

The employer's charge is a cost of the month of work and usually paid the month after (common practice).
"""

from widefork.core.finance.schedules.book import summed
from widefork.core.finance.schedules.schedule import Draft, Late, Schedule
from widefork.core.finance.schedules.setting import COST_CAPTIONS, Role, Setting, SettingKind


def _later(flow: str, months: int) -> str:
    return f"before({flow}, {months})" if months else flow


def _write(draft: Draft) -> None:
    charges_after, pay_after = draft.value("charges_paid_after"), draft.value("pay_paid_after")
    caption = draft.value("caption")
    owed_pay, owed_charges = draft.value("opening_pay"), draft.value("opening_charges")
    pay = draft.calculate(
        "pay", "pay", summed(draft.lines_of("of")), history=[owed_pay / pay_after] * pay_after if pay_after else ()
    )
    charge_rate, benefit_rate = draft.assume("charge_rate"), draft.assume("benefit_rate")
    history = [owed_charges / charges_after] * charges_after if charges_after else ()
    charges = draft.calculate("charges", "employer's charges", f"{pay} * {charge_rate}", caption, history=history)
    benefits = draft.calculate("benefits", "benefits", f"{pay} * {benefit_rate}", caption)
    pay_paid = draft.calculate("pay_paid", "pay paid", _later(pay, pay_after), "staff_payments")
    charges_paid = draft.calculate("charges_paid", "charges paid", _later(charges, charges_after), "staff_payments")
    benefits_paid = draft.calculate("benefits_paid", "benefits paid", benefits, "staff_payments")
    draft.roll(
        "balance", "owed at month end", "payroll_liabilities",
        (owed_pay if pay_after else 0.0) + (owed_charges if charges_after else 0.0),
        (pay, charges, benefits), (pay_paid, charges_paid, benefits_paid), late=Late("staff_payments"),
    )  # fmt: skip
    if draft.has("support"):
        months, owed = draft.value("support_received_after"), draft.value("opening_support")
        share = draft.assume("support")
        history = [owed / months] * months if months else ()
        earned = draft.calculate("support_earned", "wage support", f"{pay} * {share}", "other_income", history=history)
        received = draft.calculate("support_received", "support received", _later(earned, months), "other_receipts")
        opening = owed if months else 0.0
        late = Late("other_receipts")
        draft.roll(
            "support_due", "support not yet received", "other_receivables", opening, (earned,), (received,), late=late
        )


def _words(draft: Draft) -> str:
    pay = {0: "pay in the month", 1: "pay the month after"}
    charges = {0: "charges in the month", 1: "charges the month after"}
    told = [pay.get(draft.value("pay_paid_after"), f"pay after {draft.value('pay_paid_after')} months")]
    after = draft.value("charges_paid_after")
    return ", ".join((*told, charges.get(after, f"charges after {after} months")))


PAYROLL = Schedule(
    "payroll",
    "Payroll",
    "People",
    "Charges and benefits on pay, charges paid the month after; wage support earned now and received later.",
    (
        Setting("of", "the pay lines", SettingKind.LINES, is_required=True, role=Role.SETTLED),
        Setting("charge_rate", "employer's charges", SettingKind.SERIES, "%", default=0, least=0),
        Setting("benefit_rate", "benefits", SettingKind.SERIES, "%", default=0, least=0, is_rare=True),
        Setting(
            "caption",
            "charges and benefits stand under",
            SettingKind.CHOICE,
            default="people_costs",
            choices=COST_CAPTIONS,
        ),
        Setting(
            "pay_paid_after", "months until pay is paid", SettingKind.WHOLE, default=0, least=0, most=12, is_rare=True
        ),
        Setting("charges_paid_after", "months until charges are paid", SettingKind.WHOLE, default=1, least=0, most=12),
        Setting("opening_pay", "pay owed at the start", SettingKind.AMOUNT, default=0.0, least=0, is_rare=True),
        Setting("opening_charges", "charges owed at the start", SettingKind.AMOUNT, default=0.0, least=0),
        Setting(
            "support",
            "wage support, as a share of pay",
            SettingKind.SERIES,
            "%",
            default=0,
            least=0,
            most=1,
            is_rare=True,
        ),
        Setting(
            "support_received_after",
            "months until support is received",
            SettingKind.WHOLE,
            default=2,
            least=0,
            most=12,
            is_rare=True,
        ),
        Setting(
            "opening_support",
            "support not yet received at the start",
            SettingKind.AMOUNT,
            default=0.0,
            least=0,
            is_rare=True,
        ),
    ),
    _write,
    {"of": ["costs"], "charge_rate": 0.2},
    words=_words,
)
