"""Forecasts while they are made: kept by what they are made from, so that edits elsewhere do not make them again."""

from collections.abc import Hashable

from widefork.core.analysis.trends import (
    Forecast,
    Known,
    Series,
    Settings,
    borrowed_from,
    make_forecast,
    settings_of,
)
from widefork.core.graph.model import Model
from widefork.core.history import Recipe
from widefork.web.shared.context import workspace
from widefork.web.shared.jobs import Job, Told

PATIENCE = 0.9
"""Seconds a page waits for its forecast before it says that it is being made."""
LONG_PATIENCE = 90.0
"""Seconds an edit waits for a forecast it writes down, which a page has usually shown before."""


def making(known: Known, recipe: Recipe, model: Model, patience: float = PATIENCE) -> Job:
    """Return the making of a forecast: begun if nobody did, waited for a moment.

    Raises
    ------
    InvalidValue: a recipe that cannot be asked for. UnknownName: nothing is known of the series whose shape it borrows.
    """
    settings = settings_of(recipe, known, model.timeline, borrowed_from(recipe, model))
    series = known.series

    def work(told: Told) -> Forecast:
        return make_forecast(series, settings, told=told)

    return workspace().answers.get(key_of(series, settings), work, patience)


def key_of(series: Series, settings: Settings) -> Hashable:
    """Return all that a forecast is made from."""
    return ("forecast", series.name, str(series.start), series.values.tobytes(), series.per_year, repr(settings))
