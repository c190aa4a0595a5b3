"""A small company for each schedule, from its own example."""

from tests.small import company, given
from widefork.core.axes import Dimension
from widefork.core.finance.schedules import SCHEDULES
from widefork.core.graph.model import ScheduleSettings

ASSETS = Dimension(
    "assets",
    ("Van", "Press", "Bench"),
    attributes={
        "Van": {"cost": 12000, "bought": "2026-03", "life_months": 24, "sold": "2027-02", "sold_for": 5000},
        "Press": {"cost": 10000, "bought": "2026-02", "life_months": 60, "method": "declining", "rate": 0.4,
                  "salvage": 1000},
        "Bench": {"book_value": 900, "life_months": 3},
    },
)  # fmt: skip
CONTRACTS = Dimension(
    "contracts",
    ("Town", "Harbour", "School", "Spa"),
    attributes={
        "Town": {"fee": 1000, "start": "2025-06"},
        "Harbour": {"fee": 9000, "rhythm": "quarterly", "start": "2025-11", "end": "2026-10", "renewal": 0.5},
        "School": {"fee": 2400, "rhythm": "yearly", "start": "2026-04", "end": "2026-09", "renewal": "80 %"},
        "Spa": {"fee": 6000, "rhythm": "yearly", "start": "2026-03", "status": "hoped for", "probability": 0.25},
    },
)


def schedule(kind, name="it", **changed):
    """A schedule at its example's settings, some of them changed."""
    return ScheduleSettings(kind, name, name.title(), {**SCHEDULES[kind].example, **changed})


def bare(kind, name="it", **settings):
    """A schedule with these settings only."""
    return ScheduleSettings(kind, name, name.title(), settings)


def example(kind, *more, **settings):
    """A company with one schedule at its example's settings, and what that example needs."""
    opening = {"asset_register": {"share_capital": 900}, "contracts": {"cash": 3000}}.get(kind, {})
    return company(
        schedule(kind, **settings),
        *more,
        lines=(given("fees", 300, unit="EUR"), given("retainers", 400, unit="EUR")),
        more_dimensions=(ASSETS, CONTRACTS),
        opening_balances=opening,
    )
