"""An overdraft that draws and repays by itself, within its limit; what goes beyond is *not funded*, at its rate too."""

from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind, choices


def _write(draft: Draft) -> None:
    limit, rate, floor = draft.assume("limit"), draft.assume("rate"), draft.assume("floor")
    balance = draft.name("drawn")
    draft.balance(
        "drawn",
        "drawn at month end",
        f"max(0, min({limit}, {floor} - cash_after_overdraft))",
        "overdraft",
        draft.value("opening_balance"),
    )
    average = draft.value("interest_on") == "average"
    owed = f"{balance} + not_funded" if _bears_what_is_not_funded(draft) else balance
    before = " + ".join(f"before({name})" for name in owed.split(" + "))
    base = f"({before} + {owed}) / 2" if average else f"({before})" if " " in before else before
    draft.calculate(
        "interest", "interest", f"{base} * {rate} / months_per_year", "interest_expense", allow_loop=average
    )
    draft.balance("agreed", "agreed limit", limit, "overdraft_limit")
    draft.balance("shortfall", "missing to the lowest cash held", f"max(0, {floor} - cash_after_overdraft - {limit})")


def _bears_what_is_not_funded(draft: Draft) -> bool:
    """The first overdraft of a model: what is not funded is owed once, and costs what the first bank asks."""
    first = next((given for given in draft.model.schedules if given.kind == "overdraft"), draft.given)
    return first.name == draft.given.name


OVERDRAFT = Schedule(
    "overdraft",
    "Overdraft",
    "Money",
    "Draws when cash would fall below its floor and repays when it can, within its limit.",
    (
        Setting("limit", "limit", SettingKind.SERIES, unit="CUR", is_required=True, least=0),
        Setting("rate", "rate a year", SettingKind.SERIES, unit="% a year", is_required=True, least=0, most=1),
        Setting("floor", "lowest cash held", SettingKind.SERIES, unit="CUR", default=0, least=0),
        Setting(
            "interest_on", "interest on", SettingKind.CHOICE, default="opening",
            choices=choices(opening="the opening balance", average="the average balance"), is_rare=True),
        Setting("opening_balance", "drawn at the start", SettingKind.AMOUNT, default=0.0, least=0),
    ),
    _write,
    {"limit": 500, "rate": 0.1, "floor": 0},
    words=lambda draft: f"up to {draft.shown('limit')} at {draft.shown('rate')}",
)  # fmt: skip
