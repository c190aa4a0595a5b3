"""Terms of one's own: lines of the user's settle, tax, stock or spread these; nothing is written for them.

This is what is left of a schedule once its lines were made ordinary ones: which lines it had a role for has to stay
known, so that nothing else settles them a second time.
"""

from widefork.core.finance.schedules.schedule import Draft, Schedule
from widefork.core.finance.schedules.setting import Role, Setting, SettingKind

ROLE_KEYS = {
    Role.SETTLED: "settled",
    Role.SALE_TAXED: "sale_taxed",
    Role.PURCHASE_TAXED: "purchase_taxed",
    Role.STOCKED: "stocked",
    Role.SPREAD_REVENUE: "spread_revenue",
    Role.SPREAD_COST: "spread_cost",
}
"""The setting that names the lines of each role."""


def _write(draft: Draft) -> None:
    """Lines of the user's own do all of it."""


def _words(draft: Draft) -> str:
    return "by lines of your own"


OWN_TERMS = Schedule(
    "own_terms",
    "Terms of your own",
    "Trade",
    "Lines whose payment, tax, stock or spreading you wrote out yourself; nothing is written for them here.",
    tuple(
        Setting(
            key, f"lines {role.value} your own lines", SettingKind.LINES, role=role, is_rare=role is not Role.SETTLED
        )
        for role, key in ROLE_KEYS.items()
    ),
    _write,
    {},
    words=_words,
)
