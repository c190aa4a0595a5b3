"""A loan: drawn once or owed already, repaid in level payments, in equal principal, or in one sum at the end."""

from widefork.core.axes import Month
from widefork.core.errors import InvalidModel
from widefork.core.finance.schedules.schedule import Draft, Schedule, Setting, SettingKind
from widefork.core.language.printing import write_number


def _write(draft: Draft) -> None:
    term, repayment = draft.value("term_months"), draft.value("repayment")
    owed: float = draft.value("opening_balance")
    if bool(owed) == draft.has("drawn_in") or draft.has("drawn_in") != draft.has("amount"):
        raise InvalidModel(
            "A loan is either drawn in a month (drawn_in, amount) or owed already (opening_balance); give one of them.",
            f"schedules/{draft.given.name}",
        )
    rate = draft.assume("rate")
    start: Month = draft.value("drawn_in") if not owed else draft.model.timeline.start.plus(-1)
    last = start.plus(term)
    balance = draft.name("balance")
    principal = write_number(owed) if owed else draft.assume("amount")
    drawn = f"if month = {start.words} then {principal} else 0" if not owed else "0"
    drawn = draft.calculate("drawn", "drawn", drawn, "loan_drawdowns")
    interest = draft.calculate(
        "interest", "interest", f"before({balance}) * {rate} / months_per_year", "interest_expense"
    )
    instalment = {
        "level": f"level_payment({principal}, {rate} / months_per_year, {term}) - {interest}",
        "straight": f"{principal} / {term}",
        "bullet": "0",
    }[repayment]
    running = f"if month > {start.words} and month < {last.words} then min(before({balance}), {instalment}) else 0"
    repaid = draft.calculate(
        "repaid",
        "repaid",
        f"if month = {last.words} then before({balance}) else {running}",
        "loan_repayments",
    )
    draft.balance("balance", "owed at month end", f"before({balance}) + {drawn} - {repaid}", "loans", owed)


LOAN = Schedule(
    "loan",
    "Loan",
    "Interest at a twelfth of the yearly rate on the opening balance; principal level, straight or at the end.",
    (
        Setting("amount", "amount", SettingKind.SERIES, unit="CUR"),
        Setting("drawn_in", "month drawn", SettingKind.MONTH),
        Setting("opening_balance", "owed at the start", SettingKind.AMOUNT, default=0.0),
        Setting("rate", "rate a year", SettingKind.SERIES, unit="% a year", is_required=True),
        Setting("term_months", "months until repaid", SettingKind.WHOLE, is_required=True),
        Setting(
            "repayment",
            "how it is repaid",
            SettingKind.CHOICE,
            default="level",
            choices=("level", "straight", "bullet"),
        ),
    ),
    _write,
)
