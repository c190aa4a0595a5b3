"""Other balances: anything else on the balance sheet, given as its level or by what goes in and out."""

from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind, choices

_ASSETS = ("deposits", "other_receivables", "other_current_assets", "other_long_assets")
_CAPTIONS = choices(
    deposits="Deposits not available",
    other_receivables="Other receivables",
    other_current_assets="Other current assets",
    other_long_assets="Other long-term assets",
    other_liabilities="Other liabilities",
    other_long_liabilities="Other long-term liabilities",
)


def _write(draft: Draft) -> None:
    caption = draft.value("caption")
    is_asset = caption in _ASSETS
    opening = draft.value("opening_balance")
    if draft.has("level") and (draft.has("added") or draft.has("taken")):
        raise draft.refuse("Give either the balance at month ends, or what is added and taken; not both.", "level")
    if draft.has("level"):
        level = draft.assume("level", history=[opening])
        added, taken = f"max(0, {level} - before({level}))", f"max(0, before({level}) - {level})"
    else:
        added, taken = draft.assume("added"), draft.assume("taken")
    # What moves an asset is paid when it grows; a liability the other way round.
    into, out_of = ("other_payments", "other_receipts") if is_asset else ("other_receipts", "other_payments")
    if caption == "deposits":  # the cash flow shows these under investing, from the balance itself
        into = out_of = ""
    moved_in = draft.calculate("paid_in", "paid in" if is_asset else "received", added, into)
    moved_out = draft.calculate("paid_out", "paid back", taken, out_of)
    draft.roll("balance", "at month end", caption, opening, (moved_in,), (moved_out,))


OTHER_BALANCE = Schedule(
    "other_balance",
    "Other balance",
    "Trade",
    "Anything else owned or owed, such as a deposit: its level, or what is added and taken, moves cash.",
    (
        Setting("caption", "stands under", SettingKind.CHOICE, is_required=True, choices=_CAPTIONS),
        Setting("level", "balance at month ends", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("added", "added", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("taken", "taken", SettingKind.SERIES, "CUR", default=0, least=0),
        Setting("opening_balance", "at the start", SettingKind.AMOUNT, default=0.0, least=0),
    ),
    _write,
    {"caption": "other_current_assets", "added": {"one_off": {"2026-02": 300}}, "taken": {"one_off": {"2026-09": 300}}},
    words=lambda draft: f"under {draft.shown('caption')}",
)
