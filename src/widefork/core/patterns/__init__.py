"""Patterns: questions in, ordinary lines out, once. One line here per pattern."""

from widefork.core.patterns.bought_once.pattern import BOUGHT_ONCE
from widefork.core.patterns.contracts.pattern import CONTRACTS
from widefork.core.patterns.customer_metrics.pattern import CUSTOMER_METRICS
from widefork.core.patterns.device.pattern import DEVICE
from widefork.core.patterns.events.pattern import EVENTS
from widefork.core.patterns.freemium.pattern import FREEMIUM
from widefork.core.patterns.funnel.pattern import FUNNEL
from widefork.core.patterns.go_between.pattern import GO_BETWEEN
from widefork.core.patterns.growth.pattern import GROWTH
from widefork.core.patterns.hourly_staff.pattern import HOURLY_STAFF
from widefork.core.patterns.market.pattern import MARKET
from widefork.core.patterns.orders.pattern import ORDERS
from widefork.core.patterns.outgoings.pattern import OUTGOINGS
from widefork.core.patterns.pattern import BY, FROM_LINE, Pattern, PatternDraft, write_pattern
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
    BOUGHT_ONCE,
    CONTRACTS,
    EVENTS,
    ORDERS,
    GO_BETWEEN,
    DEVICE,
    SALES_TEAM,
    FUNNEL,
    MARKET,
    GROWTH,
    OUTGOINGS,
    HOURLY_STAFF,
    CUSTOMER_METRICS,
)

__all__ = ["BY", "FROM_LINE", "PATTERNS", "Pattern", "PatternDraft", "write_pattern"]
