"""Owners: what they pay in, and what they draw."""

from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind


def _write(draft: Draft) -> None:
    if draft.has("paid_in"):
        draft.calculate("issued", "paid in by owners", draft.assume("paid_in"), "share_issue")
    if draft.has("drawn"):
        draft.calculate("taken", "drawn by owners", draft.assume("drawn"), "owners_draw")


EQUITY = Schedule(
    "equity",
    "Owners",
    "Money",
    "What owners pay in as capital, and what they draw from what was earned.",
    (
        Setting("paid_in", "paid in", SettingKind.SERIES, unit="CUR", default=0, least=0),
        Setting("drawn", "drawn", SettingKind.SERIES, unit="CUR", default=0, least=0),
    ),
    _write,
    {"paid_in": {"one_off": {"2026-03": 5000}}, "drawn": 100},
    words=lambda draft: "paid in and drawn",
)
