"""Many series at once: each forecast by itself, here or on other processes, in the order they were given."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor
from typing import TypeVar

from widefork.core.analysis.trends.forecast import Forecast, Settings, make_forecast
from widefork.core.analysis.trends.series import Series
from widefork.core.errors import WideforkError

Outcome = Forecast | WideforkError
"""A forecast, or why there is none."""
Told = Callable[[int, int], bool]
"""Hears how many are done, and of how many; False from it leaves the rest."""
Task = TypeVar("Task")
Done = TypeVar("Done")


def go_through(
    work: Callable[[Task], Done], tasks: Sequence[Task], executor: Executor | None, told: Told
) -> Iterator[Done]:
    """Yield what the work makes of each task, in order, here or on other processes; see ``forecast_many``."""
    found = map(work, tasks) if executor is None else executor.map(work, tasks, chunksize=1)
    for done, outcome in enumerate(found, 1):
        goes_on = told(done, len(tasks))
        yield outcome
        if not goes_on:
            return


def forecast_many(
    series: Sequence[Series],
    settings: Settings,
    executor: Executor | None = None,
    told: Told = lambda done, of: True,
) -> Iterator[tuple[Series, Outcome]]:
    """Yield every series with its forecast, or with the reason why it has none; the others go on.

    Parameters
    ----------
    executor : where they are worked out; one after the other here where it is None.
    told : hears how many are done, and of how many; False from it leaves the rest.
    """
    tasks = [(each, settings) for each in series]
    yield from zip(series, go_through(forecast_or_why, tasks, executor, told), strict=False)


def forecast_or_why(task: tuple[Series, Settings]) -> Outcome:
    """Return a series' forecast, or why there is none."""
    try:
        return make_forecast(*task)
    except WideforkError as fault:
        return fault
