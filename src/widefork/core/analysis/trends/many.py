"""Many series at once: each forecast by itself, here or on other processes, in the order they were given."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor

from widefork.core.analysis.trends.forecast import Forecast, Settings, make_forecast
from widefork.core.analysis.trends.series import Series
from widefork.core.errors import WideforkError

Outcome = Forecast | WideforkError
"""A forecast, or why there is none."""


def forecast_many(
    series: Sequence[Series],
    settings: Settings,
    executor: Executor | None = None,
    told: Callable[[int, int], bool] = lambda done, of: True,
) -> Iterator[tuple[Series, Outcome]]:
    """Yield every series with its forecast, or with the reason why it has none; the others go on.

    Parameters
    ----------
    executor : where they are worked out; one after the other here where it is None.
    told : hears how many are done, and of how many; False from it leaves the rest.
    """
    tasks = [(each, settings) for each in series]
    found = map(forecast_or_why, tasks) if executor is None else executor.map(forecast_or_why, tasks, chunksize=1)
    for done, (each, outcome) in enumerate(zip(series, found, strict=True), 1):
        yield each, outcome
        if not told(done, len(series)):
            return


def forecast_or_why(task: tuple[Series, Settings]) -> Outcome:
    """Return a series' forecast, or why there is none."""
    try:
        return make_forecast(*task)
    except WideforkError as fault:
        return fault
