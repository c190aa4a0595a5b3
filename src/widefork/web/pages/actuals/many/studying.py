"""Many series studied: begun once for all who ask, on other processes, with progress, stopped when asked to."""

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, replace

from widefork.core.analysis.trends import (
    AddUp,
    Family,
    Forecast,
    Known,
    Series,
    Settings,
    Studied,
    added_up,
    borrowed_from,
    family_of,
    level_change,
    settings_of,
    study_many,
)
from widefork.core.axes import Month
from widefork.core.errors import WideforkError
from widefork.core.graph.model import Model
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
MOMENT = 1.0
"""Seconds in which an answer that is there already is taken up."""
WAYS = {"": None, "least": AddUp.MINIMUM_TRACE, "parts": AddUp.BOTTOM_UP, "total": AddUp.TOP_DOWN}
"""Who gives way so that members add up, by how it stands in an address and in a recipe."""
TOTAL = "*"
"""Before a line's name: the total of its members."""
Task = tuple[Series, Settings]


@dataclass(frozen=True)
class Ask:
    """A series to be forecast by a recipe. ``kept`` : the forecast that is made anew; empty for a new one."""

    known: Known
    recipe: Recipe
    kept: str = ""

    @property
    def key(self) -> str:
        """What its forecast is found under."""
        return f"{self.known.name}/{self.kept}" if self.kept else self.known.name


@dataclass(frozen=True)
class Whole:
    """A line whose members add up: its name and label, who gives way, its family; and the keys of total and members."""

    line: str
    label: str
    adding: str
    family: Family
    keys: tuple[str, ...]


def wholes(asks: Sequence[Ask], model: Model) -> tuple[Whole, ...]:
    """Return the lines all of whose members are asked for by month, known to the same one, to add up in one way."""
    by_line: dict[tuple[str, str], list[Ask]] = {}
    for each in asks:
        if each.known.line is not None and each.known.key and each.recipe.adding:
            by_line.setdefault((each.known.line.name, each.kept), []).append(each)
    found = []
    for (name, kept), own in by_line.items():
        line = model.line(name)
        ways = {each.recipe.adding for each in own}
        is_known = all(each.known.raw.per_year == 12 and each.known.series.known_count for each in own)
        is_whole = len(own) == len(model.keys_of(line)) > 1 and line.rollup.over_members is OverMembers.SUM
        if is_known and is_whole and len(ways) == 1 and len({_end_of(each.known) for each in own}) == 1:
            family = family_of({each.known.name: each.known.series for each in own}, {})
            total = f"{TOTAL}{name}/{kept}" if kept else f"{TOTAL}{name}"
            found.append(Whole(name, line.label, ways.pop(), family, (total, *(each.key for each in own))))
    return tuple(found)


def _end_of(known: Known) -> Month:
    """The month in which a forecast of a series begins."""
    own = known.series.without_ends()
    return own.month_at(len(own.values))


def reconciled(
    asks: Sequence[Ask], model: Model, studied: Mapping[str, Studied]
) -> tuple[dict[str, Forecast], dict[str, Forecast]]:
    """Return forecasts by key, each by itself, and as they are once members add up as their recipes say."""
    alone = {key: each.outcome for key, each in studied.items() if isinstance(each.outcome, Forecast)}
    forecasts = dict(alone)
    for whole in wholes(asks, model):
        way = WAYS.get(whole.adding)
        if way is not None and all(key in alone for key in whole.keys):
            together = added_up(whole.family, [alone[key] for key in whole.keys], way)
            forecasts.update(zip(whole.keys, together, strict=True))
    return alone, forecasts


def studying(asks: Sequence[Ask], model: Model, patience: float = PATIENCE) -> Job:
    """Return the study of series, totals of members among them: begun if nobody did, waited for a moment.

    What it finds is by key, a total under ``*`` and its line's name. What the page of one series forecast is found
    made, and the other way round; so a step on one series lets only that one be forecast again.
    """
    tasks, refused = _tasks(asks, model)
    answers = workspace().answers

    def work(told: Told) -> dict[str, Studied]:
        found = {key: Studied(fault, None) for key, fault in refused.items()}
        left: dict[str, Task] = {}
        for key, task in tasks.items():
            made = answers.known(key_of(*task))
            if made is not None and isinstance(made.found, Forecast):
                found[key] = Studied(made.found, level_change(made.found))
            else:
                left[key] = task
        before = len(tasks) - len(left)
        told(before, len(tasks))
        with workers(len(left)) as executor:
            done = study_many(list(left.values()), executor, lambda done, of: told(before + done, len(tasks)))
            for (key, task), studied in zip(left.items(), done, strict=False):
                found[key] = studied
                if isinstance(studied.outcome, Forecast):
                    answers.get(key_of(*task), _as_answer(studied.outcome), MOMENT)
        return found

    return jobs().get(_job_key(tasks, refused), work, patience)


def stop_studying(asks: Sequence[Ask], model: Model) -> None:
    """End the study; what was forecast is kept."""
    job = studying(asks, model, 0.0)
    job.stop.set()
    job.ended.wait(STOPPING)


def go_on_studying(asks: Sequence[Ask], model: Model) -> None:
    """Let a study that was ended begin again: what was forecast is found made."""
    jobs().forget(_job_key(*_tasks(asks, model)))


def _job_key(tasks: Mapping[str, Task], refused: Mapping[str, WideforkError]) -> Hashable:
    what = tuple((key, key_of(*task)) for key, task in tasks.items())
    return "studied", what, tuple(map(str, refused.values()))


def _as_answer(forecast: Forecast) -> Callable[[Told], Forecast]:
    return lambda told: forecast


def _tasks(asks: Sequence[Ask], model: Model) -> tuple[dict[str, Task], dict[str, WideforkError]]:
    tasks: dict[str, Task] = {}
    refused: dict[str, WideforkError] = {}
    for each in asks:
        try:
            like = borrowed_from(each.recipe, model)
            tasks[each.key] = (each.known.series, settings_of(each.recipe, each.known, model.timeline, like))
        except WideforkError as fault:
            refused[each.key] = fault
    for whole in wholes(asks, model):
        total, *keys = whole.keys
        own = [tasks[key][1] for key in keys if key in tasks]
        if len(own) == len(keys) and len({settings.horizon for settings in own}) == 1:
            usual = replace(own[0], fills=(), method="best", like=None, amount=0.0)
            tasks[total] = (replace(whole.family.series[0], name=whole.label), usual)
    return tasks, refused
