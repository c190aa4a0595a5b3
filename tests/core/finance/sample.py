"""A small company for each schedule, from its own example."""

from tests.kit.small import company, given
from widefork.core.axes import Dimension
from widefork.core.finance.schedules import SCHEDULES
from widefork.core.graph.model import Profile, ScheduleSettings

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
TEAMS = Dimension(
    "teams",
    ("Samplers", "Analysts", "Helpers"),
    attributes={
        "Samplers": {"role": "Field", "heads": 6, "salary": 3000, "capacity": 100, "ramp": 2, "leaving": 0.12,
                     "hire_cost": 2000, "equip_cost": 500, "leave_cost": 4000, "posts_to": "cost_of_sales",
                     "benefits": 50},
        "Analysts": {"heads": 4, "full_time": 0.8, "salary": 4000, "bonus": 0.1, "capacity": 120,
                     "ramp_profile": "Analyst ramp", "return_ramp": 1, "productivity": 0.9, "charges": 0.25},
        "Helpers": {"role": "Field", "kind": "contract", "heads": 1, "salary": 2500, "capacity": 80},
    },
)  # fmt: skip
SEATS = Dimension(
    "seats",
    ("S1", "S2", "S3", "S4"),
    attributes={
        "S1": {"teams": "Samplers", "start": "2026-04", "end": "2027-03"},
        "S2": {"teams": "Analysts", "start": "2026-03", "share": 0.5, "salary": 4600},
        "S3": {"teams": "Samplers", "start": "2025-05", "end": "2026-08"},
        "S4": {"teams": "Analysts", "start": "2026-06", "move": "second_lab"},
    },
)
PROFILES = (Profile("analyst_ramp", "Analyst ramp", (0.2, 0.5, 0.9, 1.0)),)
OVER_TEAMS = (
    given("hiring", {("Samplers",): {"one_off": {"2026-02": 2, "2026-09": 1}}, ("Analysts",): 0, ("Helpers",): 0},
          ("teams",), unit="heads"),
    given("coming_back", {("Samplers",): 0, ("Analysts",): {"one_off": {"2026-10": 1}}, ("Helpers",): 0}, ("teams",),
          unit="heads"),
    given("going", {("Samplers",): {"one_off": {"2026-07": 1}}, ("Analysts",): 0,
                    ("Helpers",): {"one_off": {"2026-05": 2}}}, ("teams",), unit="heads"),
    given("wanted", {("Samplers",): {"growth": {"base": 600, "rate": 0.02, "pace": "each month", "since": "2026-01"}},
                     ("Analysts",): 450, ("Helpers",): 0}, ("teams",), unit="hours"),
)  # fmt: skip


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
        lines=(given("fees", 300, unit="EUR"), given("retainers", 400, unit="EUR"), *OVER_TEAMS),
        more_dimensions=(ASSETS, CONTRACTS, TEAMS, SEATS),
        profiles=PROFILES,
        opening_balances=opening,
    )
