"""Forecasts the plan rests on, made again from what is known by now: what each says then, and which are taken."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from math import isfinite

from widefork.core.analysis.trends import (
    End,
    Forecast,
    Resting,
    Studied,
    forecast_rule,
    kept_forecast,
    plan_rule,
    resting_of,
    what_came,
)
from widefork.core.axes import Timeline
from widefork.core.errors import InvalidValue, WideforkError
from widefork.core.graph.model import Model
from widefork.core.history import KeptForecast
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.pages.actuals.many.page import coming_year, year_amount
from widefork.web.pages.actuals.many.studying import Ask, reconciled, studying
from widefork.web.pages.actuals.trends.chart import signed_percent
from widefork.web.pages.actuals.trends.writing import change_by, into_case, keeping
from widefork.web.shared import formats
from widefork.web.shared.context import View, sentence_of
from widefork.web.shared.jobs import left_words


@dataclass(frozen=True, kw_only=True)
class AnewRow:
    """A forecast as it was made and as it is made now. ``year`` and ``was`` are of the coming fiscal year."""

    key: str
    label: str
    url: str
    kept: str
    places: str
    since: str
    came: str
    was: str
    year: str
    moved: str
    by: str
    fault: str


@dataclass(frozen=True, kw_only=True)
class AnewPage:
    """The whole page; while forecasts are made only ``progress`` is there."""

    progress: tuple[int, int] | None
    left: str
    year: str
    rows: tuple[AnewRow, ...]
    count: int
    fault: str


def stale_of(model: Model) -> tuple[Resting, ...]:
    """Return the forecasts the plan rests on that were made before all was known that is known now."""
    return tuple(each for each in resting_of(model) if each.since > 0)


def asks_anew(stale: Sequence[Resting]) -> tuple[Ask, ...]:
    """Return what is asked to make them again: each by the recipe it was made by."""
    return tuple(Ask(each.known, each.kept.recipe, each.kept.name) for each in stale)


def build_anew(view: View) -> AnewPage:
    """Return the page of all forecasts that can be made anew."""
    model = view.snapshot.model
    stale = stale_of(model)
    year = coming_year(model.timeline)
    bare = AnewPage(progress=None, left="", year=f"FY{year % 100:02d}", rows=(), count=len(stale), fault="")
    if not stale:
        return bare
    asks = asks_anew(stale)
    job = studying(asks, model)
    if job.is_running:
        return replace(bare, progress=(job.done, job.count or len(stale)), left=left_words(job.seconds_left))
    if job.fault is not None:
        return replace(bare, fault=sentence_of(job.fault))
    _, forecasts = reconciled(asks, model, job.found)
    rows = []
    for each, ask in zip(stale, asks, strict=True):
        outcome = job.found[ask.key].outcome if ask.key in job.found else None
        fault = str(outcome) if isinstance(outcome, WideforkError) else ""
        rows.append(_row(view, each, ask, forecasts.get(ask.key), fault, year))
    return replace(bare, rows=tuple(rows))


def _row(view: View, own: Resting, ask: Ask, made: Forecast | None, fault: str, year: int) -> AnewRow:
    known, kept, model = own.known, own.kept, view.snapshot.model
    places = ", ".join(
        f"{model.case(case).label}{'' if end is End.ITSELF else f' ({end.value})'}" for case, end in own.places
    )
    was = _said(own, year, model.timeline)
    now = year_amount(known, made, year, model.timeline) if made is not None else float("nan")
    came = what_came(forecast_rule(kept, known.line, known.raw.per_year), known) if known.line is not None else ()
    last = came[-1] if came else None
    told = ""
    if last is not None:
        said, amount = (formats.amount(value, known.unit) for value in (last.said, last.came))
        told = f"{last.month.label}: said {said}, {amount} came"
    many = "" if own.since == 1 else "s"
    return AnewRow(
        key=ask.key, label=known.label, url=view.address.url(anew="", series=known.name, shown=kept.name),
        kept=kept.name, places=places, since=f"{own.since} {known.raw.period}{many}", came=told,
        was=formats.cell(was, known.unit) if isfinite(was) else "",
        year=formats.cell(now, known.unit) if isfinite(now) else "",
        moved=signed_percent(now / was - 1) if isfinite(now) and was > 0 else "",
        by=made.label.lower() if made is not None else "", fault=fault,
    )  # fmt: skip


def _said(own: Resting, year: int, timeline: Timeline) -> float:
    """What a kept forecast says of a fiscal year, with what was known before it; NaN where it says part of it only."""
    known, kept = own.known, own.kept
    if known.line is None:
        return float("nan")
    rule = forecast_rule(kept, known.line, known.raw.per_year)
    values = {known.raw.month_at(at): float(value) for at, value in enumerate(known.raw.values) if value == value}
    if known.raw.per_year != 12:
        values = {}
    values |= {rule.start.plus(at): amount for at, amount in enumerate(rule.amounts)}
    found = [values.get(month, float("nan")) for month in timeline.months if timeline.fiscal_year(month) == year]
    return (sum(found) if known.line.is_flow else sum(found) / len(found)) if len(found) == 12 else float("nan")


def writing_anew(view: View, chosen: Sequence[str], studied: Mapping[str, Studied]) -> Apply:
    """Return the edit that takes chosen forecasts as they are made now, wherever the plan rests on them: one gesture.

    Raises
    ------
    InvalidValue: nothing chosen, one that is no longer there or could not be made, a low of too little known.
    """
    model = view.snapshot.model
    stale = stale_of(model)
    asks = asks_anew(stale)
    _, forecasts = reconciled(asks, model, studied)
    by_key = {ask.key: each for each, ask in zip(stale, asks, strict=True)}
    if not chosen:
        raise InvalidValue("Nothing is chosen. Tick the forecasts that are to be taken as they are made now.")
    sentence = f"{len(chosen)} forecast{'' if len(chosen) == 1 else 's'} made anew"
    steps: list[Apply] = []
    for key in chosen:
        own, forecast = by_key.get(key), forecasts.get(key)
        if own is None or forecast is None:
            raise InvalidValue(f"“{key}” is up to date by now, or could not be made. Look again.")
        kept = kept_forecast(own.kept.name, own.kept.recipe, forecast)
        steps.append(keeping(own.known, kept, sentence))
        for case, end in own.places:
            steps.append(_placed(view, own, kept, case, end, sentence))
    return edits.together(steps, sentence)


def _placed(view: View, own: Resting, kept: KeptForecast, case: str, end: End, sentence: str) -> Apply:
    amounts = {End.ITSELF: kept.amounts, End.LOW: kept.low, End.HIGH: kept.high}[end]
    if not amounts:
        raise InvalidValue(f"{own.known.label} is too short for its {end.value}; take it out, or write it by itself.")
    rule = plan_rule(own.known, kept, view.snapshot.model.timeline, amounts)
    if end is End.ITSELF:
        return into_case(view, own.known, rule, case, sentence)
    return edits.change_cells(case, [change_by(own.known, rule, view.snapshot.model)], sentence)
