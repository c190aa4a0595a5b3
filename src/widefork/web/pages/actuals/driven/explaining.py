"""A line's members explained by the same drivers: each by itself, begun once for all who ask, on other processes."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from widefork.core.analysis.trends import (
    Cause,
    Driver,
    Explained,
    Forecast,
    Known,
    Series,
    Settings,
    all_known,
    driver_of,
    explain,
    settings_of,
)
from widefork.core.analysis.trends.many import go_through
from widefork.core.errors import WideforkError
from widefork.core.history import Recipe
from widefork.web.pages.actuals.trends.making import key_of
from widefork.web.shared.context import View, jobs, workspace
from widefork.web.shared.jobs import Job, Told
from widefork.web.shared.workers import workers

PATIENCE = 0.9
Task = tuple[Series, tuple[Driver, ...], Settings, bool | None, Forecast | None]


def members_of(known: Known, view: View) -> tuple[Known, ...]:
    """Return the series of the same line that are forecast like it, itself first."""
    if known.line is None or not known.key:
        return (known,)
    own = known.line.name
    others = [
        each
        for each in all_known(view.snapshot.model)
        if each.line is not None and each.line.name == own and each.key and each.name != known.name
    ]
    return (known, *others)


def explaining(view: View, known: Known, causes: Sequence[Cause], recipe: Recipe, patience: float = PATIENCE) -> Job:
    """Return the work of explaining a series and the others of its line: by name, what explains it or why nothing does.

    Members are explained as factors all, or as amounts all, so that one formula can hold for them.
    """
    members = members_of(known, view)
    is_above = all(float(np.nanmin(each.series.values, initial=np.inf)) > 0 for each in members)
    tasks: dict[str, Task] = {}
    refused: dict[str, WideforkError] = {}
    for each in members:
        try:
            tasks[each.name] = _task(view, each, causes, recipe, is_above if len(members) > 1 else None)
        except WideforkError as fault:
            refused[each.name] = fault

    def work(told: Told) -> dict[str, Explained | WideforkError]:
        found: dict[str, Explained | WideforkError] = dict(refused)
        with workers(len(tasks), 1) as executor:
            done = go_through(explain_or_why, list(tasks.values()), executor, told)
            found.update(zip(tasks, done, strict=False))
        return found

    what = tuple((key_of(task[0], task[2]), _drivers_key(task[1]), task[3]) for task in tasks.values())
    return jobs().get(("explained", what, tuple(refused)), work, patience)


def explain_or_why(task: Task) -> Explained | WideforkError:
    """Return what explains a series, or why nothing does."""
    series, drivers, settings, in_logs, alone = task
    try:
        return explain(series, drivers, settings, in_logs, alone)
    except WideforkError as fault:
        return fault


def line_values(view: View, line: str, key: tuple[str, ...]) -> np.ndarray:
    """Return a line's months at a member key, as the active case has them."""
    return np.asarray(view.snapshot.results.series(line, key, view.place), dtype=float)


def _task(view: View, known: Known, causes: Sequence[Cause], recipe: Recipe, in_logs: bool | None) -> Task:
    model = view.snapshot.model
    drivers = tuple(driver_of(cause, known, model, lambda line, key: line_values(view, line, key)) for cause in causes)
    settings = settings_of(recipe, known, model.timeline)
    made = workspace().answers.known(key_of(known.series, settings))
    alone = made.found if made is not None and isinstance(made.found, Forecast) else None
    return known.series, drivers, replace(settings, is_whole=False), in_logs, alone


def _drivers_key(drivers: Sequence[Driver]) -> tuple[object, ...]:
    return tuple(
        (each.name, each.lag, str(each.series.start), each.series.per_year, each.series.values.tobytes())
        for each in drivers
    )


def explained_by_name(job: Job) -> Mapping[str, Explained | WideforkError]:
    """Return what a finished job found."""
    found: Mapping[str, Explained | WideforkError] = job.found
    return found
