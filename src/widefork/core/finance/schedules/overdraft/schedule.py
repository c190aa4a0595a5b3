"""An overdraft that draws and repays by itself, within its limit; what goes beyond is an unfunded shortfall."""

from widefork.core.finance.schedules.schedule import Draft, Schedule, Setting, SettingKind


def _write(draft: Draft) -> None:
    limit, rate, floor = draft.assume("limit"), draft.assume("rate"), draft.assume("floor")
    balance = draft.name("drawn")
    draft.balance(
        "drawn",
        "drawn at month end",
        f"min({limit}, max(0, {floor} - cash_after_overdraft))",
        "overdraft",
        draft.value("opening_balance"),
    )
    draft.calculate("interest", "interest", f"before({balance}) * {rate} / months_per_year", "interest_expense")
    draft.balance("agreed", "agreed limit", limit, "overdraft_limit", 0.0)
    draft.balance("shortfall", "unfunded shortfall", f"max(0, {floor} - cash_after_overdraft - {limit})", "", 0.0)


OVERDRAFT = Schedule(
    "overdraft",
    "Overdraft",
    "Draws when cash would fall below its floor and repays when it can; interest on the opening balance.",
    (
        Setting("limit", "limit", SettingKind.SERIES, unit="CUR", is_required=True),
        Setting("rate", "rate a year", SettingKind.SERIES, unit="% a year", is_required=True),
        Setting("floor", "lowest cash held", SettingKind.SERIES, unit="CUR", is_required=True),
        Setting("opening_balance", "drawn at the start", SettingKind.AMOUNT, default=0.0),
    ),
    _write,
)
