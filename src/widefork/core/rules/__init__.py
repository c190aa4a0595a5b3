"""Entry rules: how an assumption's months are given. One line here per rule; see ``rules/README.md``."""

from widefork.core.registry import Registry
from widefork.core.rules.by_quarter import BY_QUARTER
from widefork.core.rules.by_year import BY_YEAR
from widefork.core.rules.every import EVERY
from widefork.core.rules.flat import FLAT
from widefork.core.rules.forecast import FORECAST, Forecast
from widefork.core.rules.growth import GROWTH, held_first
from widefork.core.rules.monthly import MONTHLY
from widefork.core.rules.one_off import ONE_OFF
from widefork.core.rules.points import POINTS
from widefork.core.rules.refit import refit
from widefork.core.rules.rule import MAGNITUDES, FieldKind, Rule, RuleField, RuleKind, read_rule, read_words, write_rule
from widefork.core.rules.seasonal import SEASONAL
from widefork.core.rules.steps import STEPS
from widefork.core.rules.totals import TOTALS

RULES: Registry[RuleKind] = Registry(
    "entry rule",
    FLAT,
    GROWTH,
    STEPS,
    BY_YEAR,
    BY_QUARTER,
    TOTALS,
    SEASONAL,
    POINTS,
    ONE_OFF,
    EVERY,
    MONTHLY,
    FORECAST,
)

__all__ = [
    "MAGNITUDES", "RULES", "FieldKind", "Forecast", "Rule", "RuleField", "RuleKind", "held_first", "read_rule",
    "read_words", "refit", "write_rule",
]  # fmt: skip
