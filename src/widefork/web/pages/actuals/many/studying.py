"""Every series studied: begun once for all who ask, on other processes, with progress, stopped when asked to."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from widefork.core.analysis.trends import (
    AddUp,
    Family,
    Forecast,
    Known,
    Series,
    Settings,
    Studied,
    family_of,
    settings_of,
    study_many,
)
from widefork.core.axes import Timeline
from widefork.core.errors import WideforkError
from widefork.core.history import Recipe
from widefork.core.lines import OverMembers
from widefork.web.pages.actuals.trends.making import key_of
from widefork.web.shared.context import jobs, workspace
from widefork.web.shared.jobs import Job, Told
from widefork.web.shared.workers import workers

STOPPING = 20.0
"""Seconds a page waits for what is under way to end."""
PATIENCE = 0.9
"""Seconds a page waits for all forecasts before it shows how far they are."""
WAYS = {"": None, "least": AddUp.MINIMUM_TRACE, "parts": AddUp.BOTTOM_UP, "total": AddUp.TOP_DOWN}
"""Who gives way so that members add up, by how it stands in the address."""
TOTAL = "*"
"""Before a line's name: the total of its members."""
Task = tuple[Series, Settings]


@dataclass(frozen=True)
class Whole:
    """A line whose members add up: its name and label, its family, and the names of its members' series in order."""

    line: str
    label: str
    family: Family
    names: tuple[str, ...]


def wholes(known: Sequence[Known]) -> tuple[Whole, ...]:
    """Return the lines whose members are all known by month and add up."""
    by_line: dict[str, list[Known]] = {}
    for each in known:
        if each.line is not None and each.key and each.line.rollup.over_members is OverMembers.SUM:
            by_line.setdefault(each.line.name, []).append(each)
    found = []
    for name, own in by_line.items():
        if len(own) < 2 or any(each.raw.per_year != 12 or not each.series.known_count for each in own):
            continue
        line = own[0].line
        if line is None:
            continue
        family = family_of({each.name: each.series for each in own}, {})
        found.append(Whole(name, line.label, family, tuple(each.name for each in own)))
    return tuple(found)


def studying(known: Sequence[Known], recipe: Recipe, timeline: Timeline, patience: float = PATIENCE) -> Job:
    """Return the study of all series, totals of members among them: begun if nobody did, waited for a moment.

    What it finds is by name, a total under ``*`` and its line's name. The page of one series finds its forecast made.
    """
    tasks, refused = _tasks(known, recipe, timeline)
    answers = workspace().answers

    def work(told: Told) -> dict[str, Studied]:
        found = {name: Studied(fault, None) for name, fault in refused.items()}
        with workers(len(tasks)) as executor:
            done = study_many(list(tasks.values()), executor, told)
            for (name, task), studied in zip(tasks.items(), done, strict=False):
                found[name] = studied
                if isinstance(studied.outcome, Forecast):
                    answers.get(key_of(*task), _as_answer(studied.outcome))
        return found

    key = tuple(key_of(*task) for task in tasks.values())
    return jobs().get(("studied", key), work, patience)


def _as_answer(forecast: Forecast) -> Callable[[Told], Forecast]:
    return lambda told: forecast


def stop_studying(known: Sequence[Known], recipe: Recipe, timeline: Timeline) -> None:
    """End the study; what was forecast is kept."""
    job = studying(known, recipe, timeline, 0.0)
    job.stop.set()
    job.ended.wait(STOPPING)


def _tasks(
    known: Sequence[Known], recipe: Recipe, timeline: Timeline
) -> tuple[dict[str, Task], dict[str, WideforkError]]:
    tasks: dict[str, Task] = {}
    refused: dict[str, WideforkError] = {}
    for each in known:
        try:
            tasks[each.name] = (each.series, settings_of(recipe, each, timeline))
        except WideforkError as fault:
            refused[each.name] = fault
    for whole in wholes(known):
        own = [tasks[name][1] for name in whole.names if name in tasks]
        if len(own) == len(whole.names) and len({settings.horizon for settings in own}) == 1:
            total = replace(whole.family.series[0], name=whole.label)
            tasks[f"{TOTAL}{whole.line}"] = (total, replace(own[0], fills=()))
    return tasks, refused
