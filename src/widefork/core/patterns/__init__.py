"""Patterns: questions in, ordinary lines out, once. One line here per pattern."""

from widefork.core.patterns.freemium.pattern import FREEMIUM
from widefork.core.patterns.funnel.pattern import FUNNEL
from widefork.core.patterns.go_between.pattern import GO_BETWEEN
from widefork.core.patterns.growth.pattern import GROWTH
from widefork.core.patterns.market.pattern import MARKET
from widefork.core.patterns.orders.pattern import ORDERS
from widefork.core.patterns.pattern import BY, Pattern, PatternDraft, write_pattern
from widefork.core.patterns.per_use.pattern import PER_USE
from widefork.core.patterns.sales_team.pattern import SALES_TEAM
from widefork.core.patterns.subscription.pattern import SUBSCRIPTION
from widefork.core.patterns.units.pattern import UNITS
from widefork.core.registry import Registry

PATTERNS: Registry[Pattern] = Registry(
    "pattern",
    UNITS,
    SUBSCRIPTION,
    FREEMIUM,
    PER_USE,
    ORDERS,
    GO_BETWEEN,
    SALES_TEAM,
    FUNNEL,
    MARKET,
    GROWTH,
)

__all__ = ["BY", "PATTERNS", "Pattern", "PatternDraft", "write_pattern"]
