"""One series and its forecast as plain data: the picture, the steps, the tests, and what it does to the plan."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import isfinite

import numpy as np

from widefork.core.analysis.figures import answer
from widefork.core.analysis.trends import (
    SHAPE_OF_ANOTHER,
    Forecast,
    Known,
    Series,
    Values,
    all_known,
    filled_of,
    forecast_rule,
    horizon_to,
    kept_forecast,
    known_of,
    like_of,
    plan_rule,
    what_came,
)
from widefork.core.axes import Grain, Month
from widefork.core.engine import evaluate
from widefork.core.errors import WideforkError
from widefork.core.graph.rollup import roll_up
from widefork.core.history import KeptForecast, Recipe
from widefork.web.pages.actuals.past.steps import StepRow, Suggestion, step_rows, suggestions
from widefork.web.pages.actuals.trends.asked import Asked, asked_of, method_choices, read_asked
from widefork.web.pages.actuals.trends.chart import (
    Off,
    Overlay,
    Picture,
    draw_off,
    draw_overlay,
    draw_picture,
    signed_percent,
)
from widefork.web.pages.actuals.trends.making import making
from widefork.web.pages.actuals.trends.writing import change_by, is_stepped_over, resting_rule
from widefork.web.shared import formats
from widefork.web.shared.context import View, sentence_of

AHEAD = (3, 12)
"""Periods ahead at which errors are told, beside the last one."""
MOST_CAME = 6


@dataclass(frozen=True, kw_only=True)
class TestRow:
    """One method in the table of tests: how far off by periods ahead, which way it leans, how often inside."""

    label: str
    off: tuple[str, ...]
    leans: str
    inside: str
    is_taken: bool
    is_simple: bool
    title: str


@dataclass(frozen=True, kw_only=True)
class Effect:
    """A figure of the plan as it stands, and with the forecast written."""

    label: str
    now: str
    then: str


@dataclass(frozen=True, kw_only=True)
class KeptRow:
    """A forecast kept of the series, and whether the active case rests on it."""

    name: str
    words: str
    url: str
    is_shown: bool


@dataclass(frozen=True, kw_only=True)
class Table:
    """The forecast as a table: periods with amount, low and high; and as text to copy."""

    rows: tuple[tuple[str, str, str, str], ...]
    text: str


@dataclass(frozen=True, kw_only=True)
class TrendsPage:
    """The whole tab. ``fault`` is why there is no forecast; ``is_running`` while it is being made."""

    known: Known | None
    choices: tuple[tuple[str, str], ...]
    asked: Asked | None
    methods: tuple[tuple[str, str], ...]
    horizon: int
    is_running: bool
    fault: str
    headline: str
    beside: str
    picture: Picture | None
    overlay: Overlay | None
    off: Off | None
    ahead: tuple[int, ...]
    tests: tuple[TestRow, ...]
    steps: tuple[StepRow, ...]
    suggested: tuple[Suggestion, ...]
    notes: tuple[str, ...]
    effects: tuple[Effect, ...]
    no_plan: str
    kept: tuple[KeptRow, ...]
    rests: str
    came: tuple[str, ...]
    table: Table | None
    name: str
    has_range: bool
    is_written: bool


def build_trends(view: View, args: Mapping[str, str], turn: int = 0) -> TrendsPage:
    """Return the tab for what an address asks."""
    model, timeline = view.snapshot.model, view.snapshot.model.timeline
    wanted = args.get("series", "")
    choices = tuple((each.name, each.label) for each in all_known(model))
    if not choices:
        return _empty(choices, "")
    try:
        known = known_of(model, wanted or choices[0][0])
    except WideforkError as refused:
        return _empty(choices, sentence_of(refused))
    shown = _shown(known, args.get("shown", ""))
    asked = read_asked(_with_like(view, known, {**asked_of(shown.recipe), **args} if shown else args), known)
    job = None
    fault = ""
    try:
        job = making(known, asked.recipe, model)
        fault = "" if job.fault is None else sentence_of(job.fault)
    except WideforkError as refused:
        fault = sentence_of(refused)
    made: Forecast | None = job.found if job is not None and not job.is_running else None
    name = shown.name if shown else (args.get("name", "") or "Usual")
    rule = resting_rule(view, known)
    filled, ahead = _laid_out(known, made)
    effects, no_plan = _effects(view, known, made, asked.recipe, name) if made is not None else ((), "")
    headline, beside = _headline(made, known) if made is not None else ("", "")
    return TrendsPage(
        known=known,
        choices=choices,
        asked=asked,
        methods=method_choices(known.raw.period),
        horizon=_horizon(asked.recipe, known, view),
        is_running=job is not None and job.is_running,
        fault=fault,
        headline=headline,
        beside=beside,
        picture=draw_picture(known, timeline, made, plan_today(view, known), args.get("original") == "yes"),
        overlay=draw_overlay(known, timeline, filled, ahead),
        off=draw_off(made) if made is not None else None,
        ahead=_told_at(made) if made is not None else (),
        tests=_tests(made, known) if made is not None else (),
        steps=step_rows(known, filled),
        suggested=suggestions(known),
        notes=_notes(known, made),
        effects=effects,
        no_plan=no_plan,
        kept=_kept_rows(view, known, name if shown else "", rule.name if rule else ""),
        rests=_rests(view, known),
        came=_came(view, known),
        table=_table(known, made) if made is not None else None,
        name=name,
        has_range=made is not None and not np.isnan(made.bands[0].low).any(),
        is_written=rule is not None and made is not None and np.array_equal(rule.amounts, made.amounts),
    )


def _with_like(view: View, known: Known, args: Mapping[str, str]) -> Mapping[str, str]:
    """What is asked, with the series whose shape is proposed where none is chosen yet."""
    if args.get("method") != SHAPE_OF_ANOTHER or args.get("like"):
        return args
    like = like_of(known, all_known(view.snapshot.model))
    return {**args, "like": like.name if like is not None else ""}


def _empty(choices: Sequence[tuple[str, str]], fault: str) -> TrendsPage:
    return TrendsPage(
        known=None, choices=tuple(choices), asked=None, methods=(), horizon=0, is_running=False, fault=fault,
        headline="", beside="", picture=None, overlay=None, off=None, ahead=(), tests=(), steps=(), suggested=(),
        notes=(), effects=(), no_plan="", kept=(), rests="", came=(), table=None, name="", has_range=False,
        is_written=False,
    )  # fmt: skip


def _shown(known: Known, name: str) -> KeptForecast | None:
    kept = known.history.forecasts if known.history is not None else ()
    return next((each for each in kept if each.name == name), None)


def _horizon(recipe: Recipe, known: Known, view: View) -> int:
    try:
        return recipe.horizon or horizon_to(known, view.snapshot.model.timeline)
    except WideforkError:
        return 0


def _laid_out(known: Known, made: Forecast | None) -> tuple[Values, Values]:
    """Values without gaps and what is forecast, by period from the first one that came."""
    if made is None:
        return filled_of(known), np.zeros(0)
    shift = (made.series.start.ordinal - known.raw.start.ordinal) * known.raw.per_year // 12
    values = np.full(shift + len(made.filled), np.nan)
    values[shift:] = made.filled
    return values, made.amounts


def plan_today(view: View, known: Known) -> Series | None:
    """What the active case says of the series today, month by month; None for what is no line's, or not by month."""
    if known.line is None or known.raw.per_year != 12 or (known.key is None and known.members):
        return None
    timeline = view.snapshot.model.timeline
    values = roll_up(view.snapshot.results, known.line.name, timeline.periods(Grain.MONTH), known.key or ())
    return Series(
        known.label, timeline.start, np.where(np.isfinite(values[:, view.place]), values[:, view.place], np.nan)
    )


def _told_at(made: Forecast) -> tuple[int, ...]:
    own = made.candidate
    tested = np.flatnonzero(np.isfinite(own.by_horizon)) if own is not None else np.zeros(0, dtype=int)
    last = int(tested[-1]) + 1 if tested.size else len(made.amounts)
    return tuple(dict.fromkeys((*(at for at in AHEAD if at < last), last)))


def _percent(share: float) -> str:
    if not isfinite(share):
        return "–"
    return f"{share * 100:.1f}" if share < 0.0995 else f"{share * 100:.0f}"


def _tests(made: Forecast, known: Known) -> tuple[TestRow, ...]:
    at = _told_at(made)
    found = []
    for each in made.candidates:
        own = each.accuracy
        size = float(np.nanmean(np.abs(made.test.came))) if np.isfinite(made.test.came).any() else float("nan")
        lean = -own.bias / size if size > 0 else float("nan")
        title = ", ".join(
            f"{label} {value:.2f}" if label == "MASE" else f"{label} {value * 100:.1f} %"
            for label, value in (("MASE", own.mase), ("sMAPE", own.smape / 2), ("MAPE", own.mape))
            if isfinite(value)
        )
        title += f", RMSE {formats.amount(own.rmse, known.unit)}" if isfinite(own.rmse) else ""
        is_taken = each.name == made.method
        inside = made.coverage.get(made.settings.levels[0], float("nan")) if is_taken else float("nan")
        found.append(
            TestRow(
                label=each.label,
                off=tuple(_percent(float(each.by_horizon[place - 1])) for place in at),
                leans="–" if not isfinite(lean) else f"{lean * 100:+.1f}".replace("-", "−"),
                inside=f"{inside * 100:.0f}" if isfinite(inside) else "",
                is_taken=is_taken,
                is_simple=each.name in ("naive", "seasonal_naive"),
                title=title,
            )
        )
    return tuple(found)


_WORDS = {1: "one", 2: "two", 3: "three", 4: "four", 6: "six", 12: "twelve", 18: "eighteen", 24: "twenty-four"}


def _headline(made: Forecast, known: Known) -> tuple[str, str]:
    """How far off such forecasts were, in words, and how far the simple one would have been."""
    own = made.candidate
    tests = int((~np.isnan(made.test.came)).any(axis=1).sum())
    period = known.raw.period
    if own is None or not tests or not np.isfinite(own.by_horizon).any():
        return (
            f"By {made.label.lower()}, untested.",
            "Too little is known to hold some of it back and see how far off it is.",
        )
    at = [place for place in _told_at(made) if isfinite(own.by_horizon[place - 1])][:2]
    told = [f"{_percent(float(own.by_horizon[place - 1]))} % {_WORDS.get(place, str(place))}" for place in at]
    many = "" if at[:1] == [1] else "s"
    headline = f"Off by {told[0]} {period}{many} ahead" + (
        f", {told[1].replace(' % ', ' % at ')}." if len(told) > 1 else "."
    )
    simple = {each.name: each for each in made.candidates if each.name in ("seasonal_naive", "naive")}
    other = simple.get("seasonal_naive") or simple.get("naive")
    words = ""
    if other is not None and other.name == made.method:
        words = f"By {made.label.lower()}: nothing else tested better."
    elif other is not None:
        name = f"The same {period} last year" if other.name == "seasonal_naive" else "The last value"
        off = [_percent(float(other.by_horizon[place - 1])) for place in at]
        gain = 1 - own.accuracy.mae / other.accuracy.mae if other.accuracy.mae > 0 else 0.0
        better = f"{gain * 100:.0f} % less" if gain >= 0.005 else "no gain"
        words = f"{name} would be off by {' % and '.join(off)} %: {better} error over all tests."
    count = f"{tests} test{'' if tests == 1 else 's'}, each from an earlier end of history."
    return headline, f"{words} {count}".strip()


def _notes(known: Known, made: Forecast | None) -> tuple[str, ...]:
    if made is None:
        return ()
    season = "No season found." if made.season == 1 else f"Season of {made.season} {known.raw.period}s."
    if made.settings.season:
        season = season.replace("found", "taken").replace("Season of", "Season set to")
    bounds = [
        words
        for words, holds in (("not below 0", made.settings.is_non_negative), ("whole", made.settings.is_whole))
        if holds
    ]
    how = f"{made.label}: {made.words}." if made.words and made.words != made.label else f"{made.label}."
    whole = f" {'; '.join(bounds).capitalize()}." if bounds else ""
    told = [note for note in made.notes if not note.startswith("Far off")]
    refused = [f"{name} was not tried: it {why}." for name, why in made.refused.items()]
    return (how, f"{season}{whole}", *told, *refused)


def _effects(view: View, known: Known, made: Forecast, recipe: Recipe, name: str) -> tuple[tuple[Effect, ...], str]:
    """What writing the forecast into the active case does: totals of the line, and the figures watched."""
    model, case = view.snapshot.model, view.address.case
    if known.line is None:
        return (), "No line of the plan is called so: it can be looked at and forecast, and nothing rests on it."
    if not known.is_assumption:
        why = "is calculated" if not known.line.is_given else "is of several members together"
        return (), f"{known.label} {why}: it is forecast to compare, and no rule of it can be written."
    line = known.line
    rule = plan_rule(known, kept_forecast(name, recipe, made), model.timeline)
    now = model.changes_of(case)
    results = evaluate(view.snapshot.plan, [now, (*now, change_by(known, rule, model))])
    first = model.timeline.fiscal_year(model.timeline.first_plan) if model.timeline.actual_count < len(
        model.timeline.months
    ) else 0  # fmt: skip
    years = [period for period in model.timeline.fiscal_years() if model.timeline.fiscal_year(period.first) >= first][
        :3
    ]
    rows = roll_up(results, line.name, years, known.key or ())
    found = [
        Effect(label=f"{period.label} {line.unit if not line.unit.startswith('%') else line.label}",
               now=formats.line_cell(float(row[0]), line), then=formats.line_cell(float(row[1]), line))
        for period, row in zip(years, rows, strict=True)
    ]  # fmt: skip
    for figure in [figure for figure in model.figures if figure.is_pinned][:4]:
        values = answer(figure, results).amounts
        of = model.line(figure.line)
        found.append(
            Effect(label=figure.label, now=formats.figure_text(figure, of, float(values[0])),
                   then=formats.figure_text(figure, of, float(values[1])))
        )  # fmt: skip
    last = rule.start.plus(len(rule.amounts) - 1)
    rest = ""
    if last < model.timeline.end:
        what = f"its last {rule.season} months are repeated" if rule.season > 1 else "its last amount holds"
        rest = f"The forecast ends in {last.label}; from then on {what}."
    over = " A step of the case stands on top of its rule; the forecast is written as a step behind it." if (
        case == model.cases[0].name and is_stepped_over(known, model, case)
    ) else ""  # fmt: skip
    return tuple(found), f"{rest}{over}".strip()


def _kept_rows(view: View, known: Known, shown: str, resting: str) -> tuple[KeptRow, ...]:
    kept = known.history.forecasts if known.history is not None else ()
    rows = []
    for each in kept:
        last = each.start.plus(-1).label
        words = f"{each.label}, from {each.count} known to {last}"
        words += ", the plan rests on it" if each.name == resting else ""
        bare = {key: "" for key, _ in view.address.own if key not in ("view", "series")}
        url = view.address.url(**{**bare, "shown": each.name})
        rows.append(KeptRow(name=each.name, words=words, url=url, is_shown=each.name == shown))
    return tuple(rows)


def _rests(view: View, known: Known) -> str:
    """What the active case rests on, where it is a forecast, and what has come since it was made."""
    rule = resting_rule(view, known)
    if rule is None:
        return ""
    label = view.snapshot.model.case(view.address.case).label
    since = known.series.known_count - rule.count
    more = (
        "" if since <= 0 else f" {since} more {known.raw.period}{'' if since == 1 else 's'} known since: make it anew."
    )
    return (
        f"{label} rests on “{rule.name}”, {rule.label}, from {rule.count} known to {rule.start.plus(-1).label}.{more}"
    )


def _came(view: View, known: Known) -> tuple[str, ...]:
    """What forecasts kept said of months that have come, the latest first."""
    found: dict[tuple[str, Month], str] = {}
    rules = {}
    for each in known.history.forecasts if known.history is not None else ():
        if known.line is not None:
            rules[each.name] = forecast_rule(each, known.line, known.raw.per_year)
    resting = resting_rule(view, known)
    if resting is not None:
        rules.setdefault(resting.name, resting)
    for name, rule in rules.items():
        for one in reversed(what_came(rule, known)):
            share = f" ({signed_percent(one.came / one.said - 1)})" if one.said else ""
            said, came = formats.amount(one.said, known.unit), formats.amount(one.came, known.unit)
            found[name, one.month] = f"For {one.month.label} “{name}” had said {said}; {came} came{share}."
    return tuple(found.values())[:MOST_CAME]


def _table(known: Known, made: Forecast) -> Table:
    band = made.bands[0]
    rows, lines = [], ["period\tforecast\tlow\thigh"]
    for place, value in enumerate(made.amounts.tolist()):
        label = made.series.label_at(len(made.filled) + place)
        ends = [float(end[place]) for end in (band.low, band.high)]
        shown = label if known.raw.per_year != 12 else Month.parse(label).label
        rows.append((shown, formats.cell(value, known.unit), *(formats.cell(end, known.unit) for end in ends)))
        lines.append("\t".join([label, f"{value:.10g}", *(f"{end:.10g}" if isfinite(end) else "" for end in ends)]))
    return Table(rows=tuple(rows), text="\n".join(lines))  # type: ignore[arg-type]
