"""All series at once as plain data: groups of trust, heaviest first, the map, what adding up moved, into the plan."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from math import isfinite, log10

import numpy as np

from widefork.core.analysis.trends import (
    SHAPE_OF_ANOTHER,
    Forecast,
    Known,
    Ranked,
    Studied,
    Trust,
    all_known,
    like_of,
    rank,
    resting_of,
    weights_of,
)
from widefork.core.axes import Month, Timeline
from widefork.core.graph.model import Model
from widefork.core.graph.rollup import roll_up
from widefork.core.history import Recipe, StepKind
from widefork.core.lines import OverMembers
from widefork.web.pages.actuals.many.studying import WAYS, Ask, reconciled, studying, wholes
from widefork.web.pages.actuals.trends.asked import Asked, asked_of, read_asked
from widefork.web.pages.actuals.trends.chart import signed_percent
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path
from widefork.web.shared.context import View, sentence_of
from widefork.web.shared.jobs import left_words

SHOWN = 20
"""Series of a group shown before the others are asked for."""
SPARK, SPARK_HEIGHT, BARS, BARS_WIDTH = 112, 18, 34, 64
MAP, MAP_HEIGHT = 272, 176
USUAL_ADDING = "least"
BETWEEN = "|"
"""Between the names of those that borrow a shape, in an address."""


@dataclass(frozen=True, kw_only=True)
class WayOut:
    """What can be done about a series that is not worth trusting: a link, or a step on it (``since`` a month)."""

    words: str
    url: str
    since: str = ""


@dataclass(frozen=True, kw_only=True)
class Row:
    """One series in its group: paths in small, how far off against the simple one, the coming fiscal year."""

    place: int
    name: str
    label: str
    url: str
    weight: str
    bar: float
    came: str
    ahead: str
    split: float
    method: str
    why: str
    off: str
    own_x: float | None
    simple_x: float | None
    year: str
    to_plan: str
    is_chosen: bool
    can_write: bool
    out: WayOut | None


@dataclass(frozen=True, kw_only=True)
class Group:
    """Series of one trust, heaviest first, and how many more there are than are shown."""

    trust: str
    title: str
    words: str
    rows: tuple[Row, ...]
    more: int
    more_url: str
    chosen_unseen: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class Added:
    """A line whose members were made to add up: of the coming year, the total by itself, the parts, and together."""

    label: str
    alone: str
    parts: str
    together: str
    moved: str
    is_total: bool


@dataclass(frozen=True, kw_only=True)
class AllPage:
    """The whole page. While it is studied only ``progress`` is there."""

    asked: Asked | None
    progress: tuple[int, int] | None
    left: str
    headline: str
    beside: str
    year: str
    groups: tuple[Group, ...]
    dots: tuple[tuple[float, float, str, str], ...]
    even: float
    ticks: tuple[tuple[float, str], ...]
    added: tuple[Added, ...]
    not_added: tuple[str, ...]
    adding: str
    borrowing: str
    chosen: int
    count: int
    missing: int
    stale: int
    fault: str


@dataclass(frozen=True)
class Found:
    """What was forecast of every series that could be, as it would be written, and in what order."""

    asks: Mapping[str, Ask]
    ranked: tuple[Ranked, ...]
    forecasts: Mapping[str, Forecast]
    alone: Mapping[str, Forecast]


def asks_of(model: Model, recipe: Recipe, adding: str, borrowing: str) -> tuple[Ask, ...]:
    """Return what is asked of every series there is: those named in ``borrowing`` take the shape of a like one."""
    every, wanted = all_known(model), borrowing.split(BETWEEN)
    found = []
    for known in every:
        own = replace(recipe, adding=adding if known.key else "")
        like = like_of(known, every) if known.name in wanted else None
        found.append(Ask(known, replace(own, method=SHAPE_OF_ANOTHER, like=like.name) if like is not None else own))
    return tuple(found)


def find_all(view: View, asks: Sequence[Ask], studied: Mapping[str, Studied]) -> Found:
    """Return all that was studied, ranked for the active case, members made to add up where that is asked for."""
    known = {each.key: each.known for each in asks}
    levelled = [name for name, each in known.items() if any(step.kind is StepKind.LEVEL for step in each.steps)]
    of = {
        each.name: (each.line.name, each.members)
        for each in known.values()
        if each.is_assumption and each.line is not None
    }
    key = ("weights", view.address.case, tuple(of))
    weights = view.snapshot.kept(key, lambda: weights_of(view.snapshot.plan, view.address.case, of))
    own = {name: each for name, each in studied.items() if name in known}
    alone, forecasts = reconciled(asks, view.snapshot.model, studied)
    return Found({each.key: each for each in asks}, rank(own, weights, levelled), forecasts, alone)


def build_all(view: View, args: Mapping[str, str], shown: tuple[str, ...] = ()) -> AllPage:
    """Return the page for what an address asks. ``shown`` : groups of which all are shown."""
    model, timeline = view.snapshot.model, view.snapshot.model.timeline
    known = all_known(model)
    if not known:
        return _empty(None, "")
    asked = read_asked(args, known[0])
    adding, borrowing = adding_of(args), args.get("borrow", "")
    asks = asks_of(model, asked.recipe, adding, borrowing)
    stale = sum(each.since > 0 for each in resting_of(model))
    bare = replace(_empty(asked, ""), adding=adding, borrowing=borrowing, stale=stale)
    job = studying(asks, model)
    if job.is_running:
        return replace(bare, progress=(job.done, job.count or len(known)), left=left_words(job.seconds_left))
    if job.fault is not None:
        return replace(bare, fault=sentence_of(job.fault))
    found = find_all(view, asks, job.found)
    year = coming_year(timeline)
    groups = tuple(_group(view, found, trust, year, shown) for trust in Trust)
    trusted = [each for each in found.ranked if each.trust is Trust.TRUSTED]
    simple = sum(each.trust is Trust.SIMPLE for each in found.ranked)
    doubted = sum(each.trust is Trust.DOUBTED for each in found.ranked)
    done, weight = len(found.ranked), sum(each.weight for each in trusted)
    missing = len(known) - done
    carried = f", and they carry {weight * 100:.0f} % of the weight" if weight else ""
    headline = f"{len(trusted)} of {done} can be trusted{carried}."
    told = []
    if simple:
        told.append(f"{simple} {'is' if simple == 1 else 'are'} no better than a simple rule")
    if doubted:
        told.append(f"{doubted} should not be forecast as {'it is' if doubted == 1 else 'they are'}")
    if missing:
        told.append(f"{missing} {'was' if missing == 1 else 'were'} left when it was stopped")
    beside = f"{'; '.join(told)}." if told else ""
    dots, ticks = _map(found)
    chosen = sum(_is_usual(found, each) for each in found.ranked)
    return replace(
        bare, headline=headline, beside=beside, year=f"FY{year % 100:02d}", groups=groups, dots=dots,
        ticks=ticks, added=_added(found, model, year), not_added=_not_added(found, model), chosen=chosen, count=done,
        missing=missing,
    )  # fmt: skip


def adding_of(args: Mapping[str, str]) -> str:
    """Return who gives way so that members add up, as an address or a form says it."""
    adding = args.get("adding", USUAL_ADDING)
    return adding if adding in WAYS else USUAL_ADDING


def _empty(asked: Asked | None, fault: str) -> AllPage:
    return AllPage(
        asked=asked, progress=None, left="", headline="", beside="", year="", groups=(), dots=(), even=_MAP_Y(1.0),
        ticks=(), added=(), not_added=(), adding=USUAL_ADDING, borrowing="", chosen=0, count=0, missing=0, stale=0,
        fault=fault,
    )  # fmt: skip


def coming_year(timeline: Timeline) -> int:
    """The first fiscal year all of which is plan, or the last there is."""
    first = timeline.first_plan
    year = timeline.fiscal_year(first)
    year += timeline.fiscal_month(first) > 1
    return min(year, timeline.fiscal_year(timeline.end))


def year_amount(known: Known, forecast: Forecast, year: int, timeline: Timeline) -> float:
    """Return a fiscal year of what is known and forecast: its sum, or the mean of what does not add up; NaN in part."""
    series, values = forecast.series, np.concatenate([forecast.filled, forecast.amounts])
    places = [at for at in range(len(values)) if timeline.fiscal_year(series.month_at(at)) == year]
    if len(places) != series.per_year:
        return float("nan")
    adds = known.line is None or known.line.is_flow
    return float(values[places].sum() if adds else values[places].mean())


def _group(view: View, found: Found, trust: Trust, year: int, shown: tuple[str, ...]) -> Group:
    own = [each for each in found.ranked if each.trust is trust]
    visible = own if trust.name.lower() in shown else own[:SHOWN]
    words = {
        Trust.TRUSTED: "heaviest first",
        Trust.SIMPLE: "the simple one is proposed",
        Trust.DOUBTED: "nothing is written unless you choose it",
    }[trust]
    largest = max((each.weight for each in found.ranked), default=0.0)
    return Group(
        trust=trust.name.lower(), title=trust.value.capitalize(), words=words,
        rows=tuple(_row(view, found, each, year, largest) for each in visible), more=len(own) - len(visible),
        more_url=view.address.url(groups=" ".join((*shown, trust.name.lower()))),
        chosen_unseen=tuple(each.name for each in own[len(visible) :] if _is_usual(found, each)),
    )  # fmt: skip


def _is_usual(found: Found, ranked: Ranked) -> bool:
    """Whether a series is chosen to be written where nobody says otherwise."""
    return (
        ranked.trust is not Trust.DOUBTED
        and found.asks[ranked.name].known.is_assumption
        and ranked.name in found.forecasts
    )


def _row(view: View, found: Found, ranked: Ranked, year: int, largest: float) -> Row:
    known, forecast = found.asks[ranked.name].known, found.forecasts.get(ranked.name)
    timeline = view.snapshot.model.timeline
    came, ahead, split = _small(known, forecast)
    off, own_x, simple_x = "", None, None
    if forecast is not None and forecast.candidate is not None and isfinite(forecast.candidate.accuracy.off):
        own = forecast.candidate.accuracy.off
        off = f"{own * 100:.1f}" if own < 0.0995 else f"{own * 100:.0f}"
        x = Scale(low=0.0, high=0.4, start=4, end=BARS_WIDTH - 4)
        own_x = min(x(own), BARS_WIDTH - 2)
        simple_x = min(x(own / ranked.against), BARS_WIDTH - 2) if ranked.against > 0 else None
    amount = year_amount(known, forecast, year, timeline) if forecast is not None else float("nan")
    planned = _planned(view, known, year)
    return Row(
        place=found.ranked.index(ranked) + 1, name=ranked.name, label=known.label,
        url=_one_url(view, found.asks[ranked.name]),
        weight=f"{ranked.weight * 100:.1f}" if ranked.weight >= 0.0005 else "",
        bar=round(ranked.weight / largest * BARS, 1) if largest else 0.0, came=came, ahead=ahead, split=split,
        method=forecast.label.lower() if forecast is not None else "", why=_why(ranked, known), off=off, own_x=own_x,
        simple_x=simple_x, year=formats.cell(amount, known.unit) if isfinite(amount) else "",
        to_plan=_to_plan(amount, planned),
        is_chosen=_is_usual(found, ranked), can_write=known.is_assumption and forecast is not None,
        out=_way_out(view, found, ranked),
    )  # fmt: skip


def _why(ranked: Ranked, known: Known) -> str:
    """What speaks against a series, months as the page writes them."""
    is_monthly = bool(ranked.since) and known.raw.per_year == 12
    return f"level changed in {Month.parse(ranked.since).label}" if is_monthly else ranked.why


def _to_plan(amount: float, planned: float) -> str:
    """How a forecast stands to the plan; from ten times it on as so many times, as such per cents say nothing."""
    if not isfinite(amount) or not planned > 0:
        return ""
    times = amount / planned
    return signed_percent(times - 1) if times < 10 else f"× {times:,.0f}" if times < 1000 else "× 1,000 +"


def _one_url(view: View, ask: Ask, **asked: str) -> str:
    """Where a series stands by itself, asked as it is here."""
    own = {key: text for key, text in asked_of(ask.recipe).items() if text} | asked
    return view.address.url(series=ask.known.name, groups="", making="", anew="", **own)


def _way_out(view: View, found: Found, ranked: Ranked) -> WayOut | None:
    """What can be done about a series that is not worth trusting; None where it is, or nothing is known to help."""
    ask = found.asks[ranked.name]
    if ranked.trust is not Trust.DOUBTED:
        return None
    if ranked.since:
        month = Month.parse(ranked.since) if ask.known.raw.per_year == 12 else None
        return WayOut(words=f"begin with {month.label}", url="", since=str(month)) if month is not None else None
    if ranked.forecast is not None and (ranked.forecast.filled == 0).any():
        return WayOut(words="mean of the last 12", url=_one_url(view, ask, method="mean_of_last", amount="12"))
    like = like_of(ask.known, [each.known for each in found.asks.values()])
    if like is None or ask.recipe.method == SHAPE_OF_ANOTHER:
        return None
    names = [name for name, each in found.asks.items() if each.recipe.method == SHAPE_OF_ANOTHER]
    return WayOut(words=f"borrow the shape of {like.label}", url=view.address.url(
        borrow=BETWEEN.join((*names, ranked.name)), making="", groups=""))  # fmt: skip


def _planned(view: View, known: Known, year: int) -> float:
    """What the active case has of a fiscal year; NaN where it has none."""
    if known.line is None or (known.key is None and known.members):
        return float("nan")
    timeline = view.snapshot.model.timeline
    periods = [period for period in timeline.fiscal_years() if timeline.fiscal_year(period.first) == year]
    if not periods:
        return float("nan")
    return float(roll_up(view.snapshot.results, known.line.name, periods, known.key or ())[0, view.place])


def _small(known: Known, forecast: Forecast | None) -> tuple[str, str, float]:
    """A series and its forecast in small: both paths, and where one goes over into the other."""
    came = forecast.filled if forecast is not None else known.raw.values
    came = came[-48:]
    ahead = forecast.amounts[:24] if forecast is not None else np.zeros(0)
    every = np.concatenate([came, ahead])
    finite = every[np.isfinite(every)]
    if not finite.size:
        return "", "", 0.0
    low, high = min(0.0, float(finite.min())), float(finite.max())
    y = Scale(low=low, high=high if high > low else low + 1, start=SPARK_HEIGHT - 2, end=2)
    x = Scale(low=0, high=max(1, len(every) - 1), start=1, end=SPARK - 1)
    points = [(x(at), y(float(value)) if isfinite(value) else float("nan")) for at, value in enumerate(every)]
    return path(points[: len(came)]), path(points[max(0, len(came) - 1) :]), x(max(0, len(came) - 1))


_MAP_Y = Scale(low=0.0, high=1.4, start=MAP_HEIGHT - 18, end=6)


def _map(found: Found) -> tuple[tuple[tuple[float, float, str, str], ...], tuple[tuple[float, str], ...]]:
    """Trust against weight, as (x, y, trust, words): weight by tens, error as a share of the simple one's."""
    x = Scale(low=-3.0, high=0.0, start=34, end=MAP - 8)
    dots = []
    for each in found.ranked:
        if each.weight <= 0 or not isfinite(each.against):
            continue
        told = f"{each.against:.2f} of the simple one’s error, {each.weight * 100:.1f} % of the weight"
        words = f"{found.asks[each.name].known.label}: {told}"
        place = max(-3.0, log10(each.weight))
        dots.append((x(place), _MAP_Y(min(each.against, 1.38)), each.trust.name.lower(), words))
    ticks = ((x(-3.0), "0.1"), (x(-2.0), "1"), (x(-1.0), "10"), (x(0.0), "100 %"))
    return tuple(dots), ticks


def _not_added(found: Found, model: Model) -> tuple[str, ...]:
    """Labels of lines with several members that cannot be made to add up, though it was asked for."""
    named = [each.known.line for each in found.asks.values() if each.recipe.adding and each.known.line is not None]
    adds = [line for line in named if line.rollup.over_members is OverMembers.SUM and named.count(line) > 1]
    made = {whole.line for whole in wholes(list(found.asks.values()), model) if whole.keys[0] in found.alone}
    return tuple(dict.fromkeys(line.label for line in adds if line.name not in made))


def _added(found: Found, model: Model, year: int) -> tuple[Added, ...]:
    """What adding up moved, of the coming year: each total, and its parts under it."""
    rows: list[Added] = []
    for whole in wholes(list(found.asks.values()), model):
        if any(key not in found.alone for key in whole.keys):
            continue
        first = found.asks[whole.keys[1]].known
        alone = [year_amount(first, found.alone[key], year, model.timeline) for key in whole.keys]
        together = [year_amount(first, found.forecasts[key], year, model.timeline) for key in whole.keys]
        if not all(map(isfinite, (*alone, *together))):
            continue
        labels = (f"{whole.label}, all", *(found.asks[key].known.label for key in whole.keys[1:]))
        for place, label in enumerate(labels):
            moved = together[place] / alone[place] - 1 if alone[place] else 0.0
            rows.append(
                Added(
                    label=label, alone=formats.cell(alone[place], first.unit),
                    parts=formats.cell(sum(alone[1:]), first.unit) if place == 0 else "",
                    together=formats.cell(together[place], first.unit),
                    moved=f"{moved * 100:+.1f} %".replace("-", "−"), is_total=place == 0,
                )
            )  # fmt: skip
    return tuple(rows)
