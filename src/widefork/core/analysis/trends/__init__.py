"""Trends: forecasts from what happened, tested on the history itself before anybody relies on them."""

from widefork.core.analysis.trends.accuracy import Accuracy, measured, season_scale
from widefork.core.analysis.trends.backtest import BackTest, origins_of, run_back_test
from widefork.core.analysis.trends.causes import (
    Cause,
    CauseKind,
    cause_label,
    driver_name,
    driver_of,
    members_at,
    read_cause,
    working_days,
)
from widefork.core.analysis.trends.drivers import DRIVERS, Driver, Effect, Explained, explain
from widefork.core.analysis.trends.forecast import (
    BEST,
    COMBINED,
    Band,
    Candidate,
    Forecast,
    Settings,
    make_forecast,
    odd_places,
)
from widefork.core.analysis.trends.formula import PlanFormula, plan_formula
from widefork.core.analysis.trends.gaps import filled_gaps
from widefork.core.analysis.trends.intervals import coverage_of, least_errors, reach_of, usual_sizes
from widefork.core.analysis.trends.looks import Parts, Together, gathered, parts_of, together
from widefork.core.analysis.trends.many import Outcome, forecast_many
from widefork.core.analysis.trends.methods import BY_HAND, METHOD_BY_NAME, METHODS, SHAPE_OF_ANOTHER, Method
from widefork.core.analysis.trends.of_model import (
    Came,
    Known,
    all_known,
    borrowed_from,
    carrying,
    filled_of,
    forecast_rule,
    horizon_to,
    kept_forecast,
    known_names,
    known_of,
    like_of,
    plan_rule,
    settings_of,
    suggested_steps,
    what_came,
)
from widefork.core.analysis.trends.ranking import (
    Ranked,
    Studied,
    Trust,
    level_change,
    rank,
    study,
    study_many,
    weights_of,
)
from widefork.core.analysis.trends.resting import End, Resting, resting_of
from widefork.core.analysis.trends.season import found_season, season_strength
from widefork.core.analysis.trends.series import Series, Values
from widefork.core.analysis.trends.steps import Stepped, fills_of, one_of, taken_steps
from widefork.core.analysis.trends.totals import AddUp, Family, added_up, family_of

__all__ = [
    "BEST", "BY_HAND", "COMBINED", "DRIVERS", "METHODS", "METHOD_BY_NAME", "SHAPE_OF_ANOTHER", "Accuracy", "AddUp",
    "BackTest", "Band", "Came", "Candidate", "Cause", "CauseKind", "Driver", "Effect", "End", "Explained", "Family",
    "Forecast", "Known", "Method", "Outcome", "Parts", "PlanFormula", "Ranked", "Resting", "Series", "Settings",
    "Stepped", "Studied", "Together", "Trust", "Values", "added_up", "all_known", "borrowed_from", "carrying",
    "cause_label", "coverage_of", "driver_name", "driver_of", "explain", "family_of", "filled_gaps", "filled_of",
    "fills_of", "forecast_many", "forecast_rule", "found_season", "gathered", "horizon_to", "kept_forecast",
    "known_names", "known_of", "least_errors", "level_change", "like_of", "make_forecast", "measured", "members_at",
    "odd_places", "one_of", "origins_of", "parts_of", "plan_formula", "plan_rule", "rank", "reach_of", "read_cause",
    "resting_of", "run_back_test", "season_scale", "season_strength", "settings_of", "study", "study_many",
    "suggested_steps", "taken_steps", "together", "usual_sizes", "weights_of", "what_came", "working_days",
]  # fmt: skip
