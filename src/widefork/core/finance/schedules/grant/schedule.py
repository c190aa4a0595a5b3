"""Grants, not repayable: income at once, income spread over the months they are for, or set against an asset.

Source: IAS 20.12, 20.24 (docs/sources.md). Against an asset, what was granted is shown as taken off the assets and
released beside their depreciation.
"""

from widefork.core.finance.schedules.schedule import Draft, Late, Schedule
from widefork.core.finance.schedules.setting import Setting, SettingKind, choices
from widefork.core.finance.schedules.spread import spread, spread_late


def _write(draft: Draft) -> None:
    treatment, months = draft.value("treatment"), draft.value("over_months")
    after, owed = draft.value("received_after"), draft.value("opening_due")
    if treatment == "asset" and after:
        raise draft.refuse(
            "A grant for an asset counts when it is received; leave the months until received at 0.", "received_after"
        )
    opening, left = draft.value("opening_balance"), draft.value("opening_months")
    granted = draft.assume("granted", history=[owed / after] * after if after else ())
    received_as = "asset_grants_received" if treatment == "asset" else "other_receipts"
    later = f"before({granted}, {after})" if after else granted
    received = draft.calculate("received", "received", later, received_as)
    if after:
        late = Late(received_as)
        draft.roll("due", "granted, not yet received", "other_receivables", owed, (granted,), (received,), late=late)
    if treatment == "income":
        draft.calculate("income", "income", granted, "other_income")
        return
    earned_as = "grants_released" if treatment == "asset" else "other_income"
    earned = draft.calculate("earned", "earned", spread(granted, months, opening, left), earned_as)
    caption = "asset_grants" if treatment == "asset" else "deferred_grants"
    draft.roll(
        "balance", "not yet earned", caption, opening, (granted,), (earned,), late=spread_late(earned_as, months)
    )


GRANT = Schedule(
    "grant",
    "Grant",
    "Money",
    "Money that need not be paid back: income at once, spread over the months it is for, or against an asset.",
    (
        Setting("granted", "granted", SettingKind.SERIES, unit="CUR", is_required=True, least=0),
        Setting(
            "treatment",
            "counts as",
            SettingKind.CHOICE,
            default="income",
            choices=choices(
                income="income at once",
                spread="income over the months it is for",
                asset="taken off an asset",
            ),
        ),
        Setting(
            "over_months",
            "months it is spread over",
            SettingKind.WHOLE,
            default=12,
            most=600,
            when=("treatment", ("spread", "asset")),
        ),
        Setting(
            "received_after",
            "months until it is received",
            SettingKind.WHOLE,
            default=0,
            least=0,
            most=36,
            is_rare=True,
        ),
        Setting(
            "opening_due",
            "granted, not yet received at the start",
            SettingKind.AMOUNT,
            default=0.0,
            least=0,
            is_rare=True,
        ),
        Setting(
            "opening_balance",
            "not yet earned at the start",
            SettingKind.AMOUNT,
            default=0.0,
            least=0,
            when=("treatment", ("spread", "asset")),
            is_rare=True,
        ),
        Setting(
            "opening_months",
            "months in which that is earned",
            SettingKind.WHOLE,
            default=12,
            most=600,
            when=("treatment", ("spread", "asset")),
            is_rare=True,
        ),
    ),
    _write,
    {"granted": {"one_off": {"2026-02": 2400}}, "treatment": "spread"},
    words=lambda draft: draft.shown("treatment"),
)
