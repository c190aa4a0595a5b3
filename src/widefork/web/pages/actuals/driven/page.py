"""What drives a series as plain data: what drivers gain, what each does and makes of it, the other members."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from math import expm1, floor, isfinite, log10

import numpy as np

from widefork.core.analysis.trends import (
    DRIVERS,
    Cause,
    CauseKind,
    Effect,
    Explained,
    Forecast,
    Known,
    all_known,
    cause_label,
    driver_name,
    known_of,
)
from widefork.core.analysis.trends.drivers import BASE, LATEST, LIMIT
from widefork.core.axes import Month, Timeline
from widefork.core.errors import WideforkError
from widefork.web.pages.actuals.driven.asked import Driven, choices_of, read_driven
from widefork.web.pages.actuals.driven.explaining import explained_by_name, explaining, members_of
from widefork.web.pages.actuals.trends.asked import Asked, read_asked
from widefork.web.pages.actuals.trends.chart import Picture, draw_picture
from widefork.web.pages.actuals.trends.page import plan_today
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, round_ticks
from widefork.web.shared.context import View, sentence_of
from widefork.web.shared.jobs import left_words

SURE = 1.96
WIDTH, HEIGHT, LEFT, TOP, BOTTOM = 560, 176, 54, 8, 22
TEXTURES = 6
"""Ways a driver's bars are drawn; from the seventh on they begin again."""


@dataclass(frozen=True, kw_only=True)
class CauseRow:
    """A driver asked for: in words, what it does, how sure that is, where its months ahead come from."""

    place: int
    label: str
    felt: str
    effect: str
    sure: str
    ahead: str
    texture: int
    drop_url: str


@dataclass(frozen=True, kw_only=True)
class Bar:
    """What a driver makes of one month of the forecast."""

    x: float
    y: float
    width: float
    height: float
    texture: int
    words: str


@dataclass(frozen=True, kw_only=True)
class Bars:
    """Month by month what drivers add and take away, and the line of what is left of it."""

    bars: tuple[Bar, ...]
    zero: float
    y_ticks: tuple[tuple[float, str], ...]
    x_ticks: tuple[tuple[float, str], ...]


@dataclass(frozen=True, kw_only=True)
class MemberRow:
    """Another series of the line by the same drivers: what they gain, and each one's effect."""

    label: str
    url: str
    gain: str
    off: str
    effects: tuple[str, ...]
    state: str
    is_shown: bool


@dataclass(frozen=True, kw_only=True)
class DrivenPage:
    """The whole page; ``fault`` is why nothing is explained. While it is worked on only what is asked is there."""

    known: Known | None
    choices: tuple[tuple[str, str], ...]
    series: tuple[tuple[str, str], ...]
    asked: Asked | None
    driven: Driven | None
    progress: tuple[int, int] | None
    left: str
    fault: str
    headline: str
    beside: str
    causes: tuple[CauseRow, ...]
    picture: Picture | None
    bars: Bars | None
    years: tuple[str, ...]
    parts: tuple[tuple[str, tuple[str, ...], bool], ...]
    notes: tuple[str, ...]
    members: tuple[MemberRow, ...]
    no_formula: str


def build_driven(view: View, args: Mapping[str, str]) -> DrivenPage:
    """Return the page for what an address asks."""
    plan, model = view.snapshot.plan, view.snapshot.model
    series = tuple((each.name, each.label) for each in all_known(model))
    bare = DrivenPage(
        known=None, choices=(), series=series, asked=None, driven=None, progress=None, left="", fault="", headline="",
        beside="", causes=(), picture=None, bars=None, years=(), parts=(), notes=(), members=(), no_formula="",
    )  # fmt: skip
    try:
        known = known_of(model, args.get("series", ""))
    except WideforkError as fault:
        return replace(bare, fault=sentence_of(fault))
    asked, driven = read_asked(args, known), read_driven(args, known, plan)
    bare = replace(bare, known=known, choices=choices_of(known, plan), asked=asked, driven=driven,
                   causes=_cause_rows(view, driven, known.unit, None))  # fmt: skip
    if not driven.causes:
        return bare
    try:
        job = explaining(view, known, driven.causes, asked.recipe)
    except WideforkError as fault:
        return replace(bare, fault=sentence_of(fault))
    if job.is_running:
        count = job.count or len(members_of(known, view))
        return replace(bare, progress=(job.done, count), left=left_words(job.seconds_left))
    if job.fault is not None:
        return replace(bare, fault=sentence_of(job.fault))
    found = explained_by_name(job)
    own = found.get(known.name)
    members = _members(view, known, driven, found)
    if not isinstance(own, Explained):
        return replace(bare, fault=str(own or "It was stopped before it was explained. Ask again."), members=members)
    headline, beside = _headline(own)
    made = _as_forecast(own)
    years, parts = _parts(own, known, model.timeline)
    return replace(
        bare, headline=headline, beside=beside, causes=_cause_rows(view, driven, known.unit, own), notes=_notes(own),
        picture=draw_picture(known, model.timeline, made, plan_today(view, known)), years=years, parts=parts,
        bars=_bars(own, known), members=members, no_formula=_no_formula(known),
    )  # fmt: skip


def _no_formula(known: Known) -> str:
    if known.line is None:
        return "No line of the plan is called so, so there is none to be written as a formula."
    if not known.is_assumption:
        why = "is calculated already" if not known.line.is_given else "is of several members together, or fixed"
        return f"{known.label} {why}, so nothing is written into the plan."
    return ""


def _notes(own: Explained) -> tuple[str, ...]:
    """What a reader should know, months as the page writes them."""
    return tuple(re.sub(r"\b\d{4}-\d{2}\b", lambda found: Month.parse(found.group()).label, note) for note in own.notes)


def _as_forecast(own: Explained) -> Forecast:
    """What the picture shows: with drivers where they gain, else by itself."""
    return own.forecast if own.gain > 0 else own.alone


def _headline(own: Explained) -> tuple[str, str]:
    """What the drivers gain on the same tests, in words."""
    with_them = next((each for each in own.forecast.candidates if each.name == DRIVERS), None)
    off = with_them.accuracy.off if with_them is not None else float("nan")
    if not isfinite(own.gain):
        return "Untested.", "Too little is known to hold some of it back; what drivers do is told, not what they gain."
    tested = f"Off by {_percent(off)} % in tests that knew the drivers’ months." if isfinite(off) else ""
    if own.gain <= 0:
        worse = f"{-own.gain * 100:.0f} % more error" if own.gain <= -0.005 else "No less error"
        return f"{worse} than by itself, so the forecast without drivers stands.", tested
    return f"{own.gain * 100:.0f} % less error than by itself, on the same tests.", tested


def _percent(share: float) -> str:
    return f"{share * 100:.1f}" if share < 0.0995 else f"{share * 100:.0f}"


def effect_words(effect: Effect, cause: Cause, in_logs: bool, unit: str, amount: float) -> str:
    """Return what a driver does in words; ``amount`` : the effect, or one of its ends."""
    one = "in its months" if cause.kind is CauseKind.EVENT else "one more"
    if effect.is_elastic:
        return f"1 % more: {_signed(amount, 2)} %"
    if in_logs:
        return f"{one}: {_signed(expm1(amount) * 100, 1)} %"
    return f"{one}: {'+' if amount > 0 else ''}{formats.amount(amount, unit)}"


def _signed(value: float, decimals: int) -> str:
    return f"{value:+.{decimals}f}".replace("-", "−")


def _cause_rows(view: View, driven: Driven, unit: str, own: Explained | None) -> tuple[CauseRow, ...]:
    model = view.snapshot.model
    rows = []
    for place, cause in enumerate(driven.causes):
        label = cause_label(cause, model)
        felt = f"{cause.lag} month{'' if cause.lag == 1 else 's'} later" if cause.lag else ""
        effect, sure, ahead = "", "", ""
        if own is not None:
            found = own.effects[place]
            effect = effect_words(found, cause, own.in_logs, unit, found.amount)
            if isfinite(found.error):
                ends = [found.amount - SURE * found.error, found.amount + SURE * found.error]
                low, high = (effect_words(found, cause, own.in_logs, unit, end).split(": ")[1] for end in ends)
                sure = f"{low.removesuffix(' %')} to {high}"
            forecast = any(note.startswith(f"{driver_name(cause, model)} is not known from") for note in own.notes)
            told = "known" if cause.kind is not CauseKind.LINE else _case_words(view)
            ahead = "forecast itself" if forecast else told
        rows.append(
            CauseRow(
                place=place, label=label, felt=felt, effect=effect, sure=sure, ahead=ahead,
                texture=place % TEXTURES + 1,
                drop_url=view.address.url(drives=driven.without(place), making="", **_CLEARED),
            )
        )  # fmt: skip
    return tuple(rows)


_CLEARED = {"add": "", "lag": "", "called": "", "when": "", "country": ""}


def _case_words(view: View) -> str:
    return f"as {view.snapshot.model.case(view.address.case).label} has it"


ALL = "with drivers"
_PART_WORDS = {
    BASE: "Without drivers’ moves", LATEST: "What is left of the latest error", LIMIT: "Kept from going below 0",
    ALL: "With drivers",
}  # fmt: skip


def _parts(
    own: Explained, known: Known, timeline: Timeline
) -> tuple[tuple[str, ...], tuple[tuple[str, tuple[str, ...], bool], ...]]:
    """What each driver makes of the forecast with drivers, by fiscal year: parts sum to the total."""
    count, series = len(own.alone.filled), own.alone.series
    years = [timeline.fiscal_year(series.month_at(count + at)) for at in range(len(own.with_drivers))]
    shown = list(dict.fromkeys(years))[:4]
    adds = known.line is None or known.line.is_flow
    heads = []
    for year in shown:
        periods = years.count(year)
        part = "" if periods == series.per_year else f", {periods} {series.period}{'' if periods == 1 else 's'}"
        heads.append(f"FY{year % 100:02d}{part}")
    rows = []
    for name, values in (*own.parts.items(), (ALL, own.with_drivers)):
        cells = []
        for year in shown:
            own_values = np.asarray(values)[[at for at, each in enumerate(years) if each == year]]
            amount = float(own_values.sum() if adds else own_values.mean())
            text = formats.cell(amount, known.unit)
            sign = "+" if amount > 0 and name not in (BASE, ALL) and any(digit in text for digit in "123456789") else ""
            cells.append(f"{sign}{text}")
        label = _PART_WORDS.get(name, name)
        if name == ALL and own.gain <= 0:
            label += ", not taken"
        rows.append((label, tuple(cells), name == ALL))
    return tuple(heads), tuple(rows)


def _bars(own: Explained, known: Known) -> Bars | None:
    """What drivers add and take away month by month, upwards and downwards from nothing."""
    names = [effect.driver for effect in own.effects]
    parts = np.stack([own.parts[name] for name in dict.fromkeys(names)])
    high = float(np.maximum(parts, 0).sum(axis=0).max(initial=0.0))
    low = float(np.minimum(parts, 0).sum(axis=0).min(initial=0.0))
    if high - low <= 0:
        return None
    ticks = round_ticks(low, high, 4)
    y = Scale(low=ticks[0], high=ticks[-1], start=HEIGHT - BOTTOM, end=TOP)
    count, series = parts.shape[1], own.alone.series
    wide = (WIDTH - LEFT - 4) / count
    begin = len(own.alone.filled)
    bars, marks = [], []
    for at in range(count):
        text = series.label_at(begin + at)
        label = Month.parse(text).label if series.per_year == 12 else text
        above = below = 0.0
        for place, value in enumerate(parts[:, at].tolist()):
            start = above if value >= 0 else below
            top, bottom = y(max(start, start + value)), y(min(start, start + value))
            sign = "+" if value > 0 else ""
            words = f"{label}, {names[place]}: {sign}{formats.amount(value, known.unit)}"
            if bottom - top > 0:
                x, width = round(LEFT + at * wide + 1, 1), round(max(wide - 2, 1), 1)
                height, texture = round(bottom - top, 1), place % TEXTURES + 1
                bars.append(Bar(x=x, y=top, width=width, height=height, texture=texture, words=words))
            above, below = (above + value, below) if value >= 0 else (above, below + value)
        if at % max(1, round(count / 8)) == 0:
            marks.append((round(LEFT + at * wide + wide / 2, 1), label))
    places = max(0, -floor(log10(ticks[1] - ticks[0])))
    y_ticks = tuple((y(tick), f"{tick:+,.{places}f}".replace("-", "−") if tick else "0") for tick in ticks)
    return Bars(bars=tuple(bars), zero=y(0.0), y_ticks=y_ticks, x_ticks=tuple(marks))


def _members(
    view: View, known: Known, driven: Driven, found: Mapping[str, Explained | WideforkError]
) -> tuple[MemberRow, ...]:
    """The series of the line by the same drivers, where there are several."""
    every = members_of(known, view)
    if len(every) < 2:
        return ()
    rows = []
    for each in sorted(every, key=lambda one: one.label):
        own = found.get(each.name)
        effects, gain, off, state = ("",) * len(driven.causes), "", "", ""
        if isinstance(own, Explained):
            effects = tuple(
                effect_words(effect, cause, own.in_logs, each.unit, effect.amount).split(": ")[1]
                for effect, cause in zip(own.effects, driven.causes, strict=True)
            )
            gain = _signed(own.gain * 100, 0) + " %" if isfinite(own.gain) else "–"
            tested = next((one.accuracy.off for one in own.forecast.candidates if one.name == DRIVERS), float("nan"))
            off = _percent(tested) if isfinite(tested) else "–"
            state = "taken" if own.gain > 0 else "by itself"
        else:
            state = str(own) if own is not None else "stopped before"
        url = view.address.url(series=each.name, drives=driven.text, making="", **_CLEARED)
        is_shown = each.name == known.name
        rows.append(
            MemberRow(label=each.label, url=url, gain=gain, off=off, effects=effects, state=state, is_shown=is_shown)
        )
    return tuple(rows)
