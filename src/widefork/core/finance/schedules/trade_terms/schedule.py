"""Receivables and payables by days: the balance is the last days of invoices, counted back in 30-day months."""

from widefork.core.finance.schedules.schedule import Draft, Schedule, Setting, SettingKind, summed


def _settings(of: str, days: str) -> tuple[Setting, ...]:
    return (
        Setting("of", of, SettingKind.LINES, is_required=True),
        Setting("days", days, SettingKind.SERIES, unit="days", is_required=True),
        Setting("opening_balance", "the opening balance", SettingKind.AMOUNT, default=0.0),
        Setting("opening_invoices", "invoices of the months before the start", SettingKind.AMOUNTS, default=()),
    )


def _write(draft: Draft, flow_label: str, settled_part: str, settled_label: str, caption: str) -> None:
    days = draft.assume("days")
    invoiced = draft.calculate(
        "invoiced", flow_label, summed(draft.value("of")), history=draft.value("opening_invoices")
    )
    balance = draft.balance(
        "balance",
        "open at month end",
        f"outstanding({invoiced}, {days})",
        caption,
        draft.value("opening_balance"),
    )
    draft.calculate(settled_part, settled_label, f"before({balance}) + {invoiced} - {balance}")


RECEIVABLES = Schedule(
    "receivables",
    "Receivables",
    "Customers pay so many days after the invoice; what is still open is the last days of invoices.",
    _settings("the revenue lines invoiced", "days until customers pay"),
    lambda draft: _write(draft, "invoiced", "collected", "collected", "receivables"),
)
PAYABLES = Schedule(
    "payables",
    "Payables",
    "Suppliers are paid so many days after their invoice; what is still open is the last days of invoices.",
    _settings("the cost lines bought on credit", "days until suppliers are paid"),
    lambda draft: _write(draft, "bought on credit", "paid", "paid", "payables"),
)
