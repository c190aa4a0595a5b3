"""Chance as plain data: the one answer, the fan, the distribution, what is needed, and what drives the spread."""

import json
from collections.abc import Hashable
from dataclasses import dataclass
from math import isfinite, log2
from typing import Any

import numpy as np

from widefork.core.analysis.chance import (
    FAN,
    Chance,
    Index,
    Known,
    Redrawn,
    correlations_of,
    lay_out,
    run_chance,
    sobol_indices,
)
from widefork.core.analysis.figures import answer
from widefork.core.axes import Month
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.web.pages.swings.chance.asked import CASH, ChanceAsked, spread_label
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path, round_ticks
from widefork.web.shared.context import View, jobs, sentence_of
from widefork.web.shared.jobs import Job, Told, left_words

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 700, 250, 66, 118, 12, 20
BARS, BARS_HEIGHT = 36, 96
PATIENCE = 0.9
"""Seconds a page waits for its draws before it shows how far they are."""
SAFE = (0.9, 0.95, 0.99)
MOST_DRIVERS = 12
LEAST_SHOWN = 0.0005
"""A smaller chance is not told apart from others as small."""
VARIANCE_POINTS = 512


@dataclass(frozen=True, kw_only=True)
class FanView:
    """The months of a line: bands as paths, what stands at their ends, and by month what lies under the waterline."""

    label: str
    outer: str
    inner: str
    middle: str
    case: str
    water: str
    ends: tuple[tuple[float, str, bool], ...]
    y_ticks: tuple[tuple[float, str], ...]
    months: tuple[tuple[float, str, str, float], ...]
    points: str
    is_exact: bool


@dataclass(frozen=True, kw_only=True)
class Distribution:
    """A figure over all draws: bars as (x, y, width, height), the case, and the share left of any place.

    ``shares`` are [x, value in words, share in words] for walking along, as JSON.
    """

    bars: tuple[tuple[float, float, float, float], ...]
    ticks: tuple[tuple[float, str], ...]
    case: tuple[float, str] | None
    cut: tuple[float, str]
    shares: str
    beyond: str


@dataclass(frozen=True, kw_only=True)
class ChancePage:
    """The whole tab. While it is drawing only ``progress`` is there with how long is ``left``, and how often it was
    asked; ``fault`` is why nothing is.
    """

    progress: tuple[int, int] | None
    fault: str
    large: str
    large_words: str
    words: tuple[str, ...]
    fan: FanView | None
    distribution: Distribution | None
    chances: tuple[tuple[str, str], ...]
    needs: tuple[tuple[str, str, str], ...]
    drivers: tuple[tuple[str, str, float], ...]
    known: tuple[str, ...]
    count: int
    turn: int
    left: str = ""


def _key(view: View, asked: ChanceAsked) -> Hashable:
    sketch = view.snapshot.model.sketch
    return ("chance", view.address.model_id, view.snapshot.revision, sketch, view.address.case, asked.key)


def drawing(view: View, asked: ChanceAsked) -> Job:
    """Return the draws asked for: begun if nobody did, waited for a moment."""
    plan, case = view.snapshot.plan, view.address.case

    def work(told: Told) -> Chance:
        layout = lay_out(plan, case, asked.spreads, correlations_of(plan, asked.spreads), asked.by_weights)
        return run_chance(
            plan,
            layout,
            [asked.figure],
            [asked.fan],
            asked.draws,
            asked.seed,
            asked.points,
            asked.interest,
            told=lambda progress: told(progress.done, progress.count),
        )

    return jobs().get(_key(view, asked), work, PATIENCE)


def stop_drawing(view: View, asked: ChanceAsked) -> None:
    """End the draws asked for; what was drawn is kept."""
    job = jobs().known(_key(view, asked))
    if job is not None:
        job.stop.set()
        job.ended.wait(PATIENCE * 5)


def variance_shares(view: View, asked: ChanceAsked) -> tuple[Index, ...]:
    """Return everything drawn by its share of the figure's variance.

    Raises
    ------
    InvalidValue: a figure without an answer in some draws, or one that nothing moves.
    """
    plan, case = view.snapshot.plan, view.address.case

    def work(told: Told) -> tuple[Index, ...]:
        layout = lay_out(plan, case, asked.spreads, correlations_of(plan, asked.spreads), asked.by_weights)
        return sobol_indices(plan, layout, asked.figure, VARIANCE_POINTS, asked.seed, told)

    job = jobs().get(("variance", _key(view, asked)), work, 120.0)
    if job.fault is not None:
        raise job.fault
    if job.found is None:
        raise InvalidValue("It takes longer than two minutes; draw fewer assumptions.")
    found: tuple[Index, ...] = job.found
    return found


def build_chance(view: View, asked: ChanceAsked) -> ChancePage:
    """Return the tab: what the draws say, or how far they are."""
    job = drawing(view, asked)
    if job.is_running:
        return _empty(
            progress=(job.done, job.count or asked.draws), turn=asked.turn + 1, left=left_words(job.seconds_left)
        )
    if job.fault is not None:
        return _empty(fault=sentence_of(job.fault))
    found: Chance = job.found
    case = evaluate(view.snapshot.plan, [view.snapshot.model.changes_of(view.address.case)])
    line = view.snapshot.model.line(asked.figure.line)
    now = float(answer(asked.figure, case).amounts[0])
    large, words = _large(view, asked, found)
    return ChancePage(
        progress=None,
        fault="",
        large=large,
        large_words=words,
        words=_words(view, asked, found, now),
        fan=_fan(view, asked, found, case.series(asked.fan)[view.snapshot.model.timeline.actual_count :]),
        distribution=_distribution(view, asked, found, now),
        chances=_chances(view, asked, found),
        needs=_needs(view, found),
        drivers=_drivers(view, found),
        known=_known(asked, found, formats.figure_text(asked.figure, line, found.quantile(0, 0.05).value)),
        count=found.count,
        turn=0,
    )


def _empty(progress: tuple[int, int] | None = None, fault: str = "", turn: int = 0, left: str = "") -> ChancePage:
    return ChancePage(
        progress=progress, fault=fault, large="", large_words="", words=(), fan=None, distribution=None, chances=(),
        needs=(), drivers=(), known=(), count=0, turn=turn, left=left,
    )  # fmt: skip


def percent(share: float) -> str:
    """Return a chance: whole per cent, with one decimal below 10; what is not quite nothing or all says so."""
    if not isfinite(share):
        return formats.NO_VALUE
    if 0 < share < LEAST_SHOWN:
        return "under 0.1 %"
    if 0.995 <= share < 1:
        return "over 99 %"
    places = 1 if 0 < share < 0.1 else 0
    return f"{formats.plain_number(share * 100, places)} %"


def _points(known: Known) -> str:
    return "" if not isfinite(known.error) else f", known to ± {max(0.1, known.error * 100):.1f} points"


def _large(view: View, asked: ChanceAsked, found: Chance) -> tuple[str, str]:
    """The one answer: the goal's chance where one is asked for, else that of being short of money."""
    line = view.snapshot.model.line(asked.figure.line)
    months = f"in the {len(found.months)} month{'' if len(found.months) == 1 else 's'} planned"
    if asked.goal is not None:
        known = found.reaching(0, asked.goal, asked.sense == "at least")
        goal = formats.figure_text(asked.figure, line, asked.goal)
        return percent(known.value), f"chance that {asked.figure.label} is {asked.sense} {goal}{_points(known)}."
    if found.under.size:
        known = found.under_at_all()
        return percent(known.value), f"chance of being under the waterline at least once {months}{_points(known)}."
    known = found.quantile(0, 0.5)
    return formats.figure_text(
        asked.figure, line, known.value
    ), f"is the middle of {asked.figure.label} over all draws."


def _words(view: View, asked: ChanceAsked, found: Chance, now: float) -> tuple[str, ...]:
    """Where the case itself stands among the draws, and what has no answer."""
    model = view.snapshot.model
    line, label = model.line(asked.figure.line), model.case(view.address.case).label
    words = []
    amounts = found.amounts[0]
    if isfinite(now):
        below = float((amounts < now).mean())
        text = formats.figure_text(asked.figure, line, now)
        than = "earlier" if asked.figure.reduction.gives_month else "lower"
        words.append(f"{asked.figure.label} is {text} in {label} itself; {percent(below)} of the draws are {than}.")
    missing = found.without_answer(0)
    if missing:
        never = "never comes in the plan" if asked.figure.reduction.gives_month else "has no value"
        words.append(f"In {percent(missing)} of the draws it {never}.")
    if found.layout.is_repaired:
        words.append("The correlations contradict each other; the nearest that can be were taken.")
    if found.layout.cases[1:]:
        words.append(f"Drawn on {len(found.layout.cases)} cases by their weights.")
    return tuple(words)


def _fan(view: View, asked: ChanceAsked, found: Chance, case: np.ndarray) -> FanView | None:
    model = view.snapshot.model
    line, fan = model.line(asked.fan), found.fans[asked.fan]
    bands = fan.quantiles
    water = _waterline(view) if asked.fan == CASH else None
    known = np.concatenate([bands.ravel(), case, water if water is not None else []])
    known = known[np.isfinite(known)]
    if not known.size:
        return None
    ticks = round_ticks(float(known.min()), float(known.max()), 4)
    x = Scale(low=0, high=max(1, len(fan.months) - 1), start=LEFT, end=WIDTH - RIGHT)
    y = Scale(low=ticks[0], high=ticks[-1], start=HEIGHT - BOTTOM, end=TOP)

    def course(values: np.ndarray) -> str:
        return path([(x(at), y(float(v)) if isfinite(v) else float("nan")) for at, v in enumerate(values)])

    ends = [(share, float(values[-1])) for share, values in zip(FAN, bands, strict=True)]
    label = model.case(view.address.case).label
    marks = [(y(v), f"{share * 100:.0f} % {formats.amount(v, line.unit)}", False) for share, v in ends if isfinite(v)]
    if isfinite(case[-1]):
        marks.append((y(float(case[-1])), f"{label} {formats.amount(float(case[-1]), line.unit)}", True))
    under = found.under if asked.fan == CASH and found.under.size else np.zeros(len(fan.months))
    under = np.where(under >= LEAST_SHOWN, under, 0.0)
    return FanView(
        label=line.label,
        outer=_band(x, y, bands[0], bands[4]),
        inner=_band(x, y, bands[1], bands[3]),
        middle=course(bands[2]),
        case=course(case),
        water=course(water) if water is not None else "",
        ends=_apart(marks),
        y_ticks=tuple((y(tick), formats.amount(tick, line.unit)) for tick in ticks),
        months=tuple(
            (x(at), _month_label(month, at), percent(float(under[at])), float(under[at]))
            for at, month in enumerate(fan.months)
        ),
        points=json.dumps([
            [x(at), f"{month.label}: " + "; ".join(
                f"{share * 100:.0f} % below {formats.amount(float(v), line.unit)}"
                for share, v in zip(FAN, bands[:, at], strict=True))]
            for at, month in enumerate(fan.months)
        ]),
        is_exact=fan.is_exact,
    )  # fmt: skip


def _waterline(view: View) -> np.ndarray | None:
    model = view.snapshot.model
    if "waterline" not in model.line_by_name:
        return None
    return view.snapshot.results.series("waterline", (), view.place)[model.timeline.actual_count :]


def _month_label(month: Month, at: int) -> str:
    return month.label if at == 0 or month.month == 1 else month.label.split()[0] if month.month % 3 == 1 else ""


def _band(x: Scale, y: Scale, low: np.ndarray, high: np.ndarray) -> str:
    known = [at for at in range(len(low)) if isfinite(low[at]) and isfinite(high[at])]
    if not known:
        return ""
    there = [(x(at), y(float(high[at]))) for at in known] + [(x(at), y(float(low[at]))) for at in reversed(known)]
    return f"{path(there)}Z"


def _apart(marks: list[tuple[float, str, bool]]) -> tuple[tuple[float, str, bool], ...]:
    """Labels at least so far apart that they can be read, in order from the top."""
    found: list[tuple[float, str, bool]] = []
    for at, text, is_case in sorted(marks):
        place = max(at, found[-1][0] + 13) if found else at
        found.append((round(place, 1), text, is_case))
    over = found[-1][0] - (HEIGHT - BOTTOM) if found else 0
    return tuple((round(at - max(0, over), 1), text, is_case) for at, text, is_case in found)


def _distribution(view: View, asked: ChanceAsked, found: Chance, now: float) -> Distribution | None:
    """Bars over the figure's amounts, between the outermost half per cent; what lies beyond is said."""
    line = view.snapshot.model.line(asked.figure.line)
    amounts = np.sort(found.amounts[0][np.isfinite(found.amounts[0])])
    if not amounts.size or amounts[0] == amounts[-1]:
        return None
    low, high = (float(np.quantile(amounts, share)) for share in (0.005, 0.995))
    if low == high:
        low, high = float(amounts[0]), float(amounts[-1])
    if asked.figure.reduction.gives_month:
        edges = np.arange(low, high + 2) - 0.5
    else:
        ticks = round_ticks(low, high, BARS)
        edges = np.array(ticks)
    counts, _ = np.histogram(amounts, edges)
    x = Scale(low=float(edges[0]), high=float(edges[-1]), start=LEFT, end=WIDTH - RIGHT)
    y = Scale(low=0, high=float(counts.max()), start=BARS_HEIGHT, end=8)
    every = len(found.amounts[0])
    shares: list[tuple[float, str, str]] = []
    for edge in edges.tolist():
        amount = np.ceil(edge) if asked.figure.reduction.gives_month else edge
        below = percent(float(np.searchsorted(amounts, edge) / every))
        shares.append((x(edge), formats.figure_text(asked.figure, line, float(amount)), below))
    middle = float(edges[len(edges) // 2])
    cut = asked.goal if asked.goal is not None and edges[0] <= asked.goal <= edges[-1] else middle
    beyond = float(((amounts < edges[0]) | (amounts > edges[-1])).sum()) / every
    place = int(np.argmin(np.abs(edges - cut)))
    case = (x(now), formats.figure_text(asked.figure, line, now)) if edges[0] <= now <= edges[-1] else None
    label_every = max(1, len(edges) // 6)
    return Distribution(
        bars=tuple(
            (x(float(a)), y(float(n)), round(x(float(b)) - x(float(a)) - 0.6, 1), round(BARS_HEIGHT - y(float(n)), 1))
            for a, b, n in zip(edges, edges[1:], counts, strict=False)
        ),
        ticks=tuple((shares[at][0], shares[at][1]) for at in range(0, len(edges) - 1, label_every)),
        case=case,
        cut=(shares[place][0], f"{shares[place][2]} left of {shares[place][1]}"),
        shares=json.dumps(shares),
        beyond=f"{percent(beyond)} lie beyond both ends." if beyond > 0 else "",
    )


def _chances(view: View, asked: ChanceAsked, found: Chance) -> tuple[tuple[str, str], ...]:
    """How likely covenants are kept on all of their dates; the user's own checks too."""
    limits = {limit.name: limit for limit in view.snapshot.model.limits}
    rows = [(f"{limits[name].label} kept on all dates", percent(share)) for name, share in found.kept_always.items()
            if limits[name].is_covenant]  # fmt: skip
    rows += [(f"{limits[name].label}, within its limits", percent(share)) for name, share in found.kept_always.items()
             if not limits[name].is_covenant and share < 1]  # fmt: skip
    return tuple(rows)


def _needs(view: View, found: Chance) -> tuple[tuple[str, str, str], ...]:
    if not found.under.size:
        return ()
    unit = view.snapshot.model.currency
    rows = []
    for share in SAFE:
        known = found.money_needed(share)
        error = f"± {formats.amount(known.error, unit)}" if isfinite(known.error) else ""
        needed = formats.amount(known.value, unit) if known.value else "nothing"
        rows.append((f"{share * 100:.0f} of 100", needed, error if known.value else ""))
    return tuple(rows)


def _drivers(view: View, found: Chance) -> tuple[tuple[str, str, float], ...]:
    """What goes along with the figure most: the address of its swing, its label, the rank correlation."""
    model = view.snapshot.model
    rows = []
    for driver in found.driven_by(0)[:MOST_DRIVERS]:
        if isfinite(driver.correlation) and abs(driver.correlation) >= 0.005:
            line = driver.name.split(" ")[0]
            url = view.address.url(view="", line=line) if line in model.line_by_name else ""
            rows.append((url, spread_label(view.snapshot.model, driver.name), driver.correlation))
    return tuple(rows)


_REDRAWN = {Redrawn.ONCE: "once for the whole plan", Redrawn.YEAR: "by fiscal year", Redrawn.MONTH: "month by month"}


def _known(asked: ChanceAsked, found: Chance, fifth: str) -> tuple[str, ...]:
    """How well the answers are known, and from what."""
    known: Any = found.quantile(0, 0.05)
    counts = [(words, sum(each.rhythm is rhythm for each in asked.spreads)) for rhythm, words in _REDRAWN.items()]
    drawn = ", ".join(f"{count} drawn {words}" for words, count in counts if count)
    persists = any(each.persistence for each in asked.spreads)
    words = []
    if isfinite(known.error) and not asked.figure.reduction.gives_month:
        error = formats.plain_number(known.error, 0 if known.error >= 10 else 2)
        words.append(f"5 of 100 draws lie below {fifth}, known to ± {error}, from eight independent scramblings.")
    words.append(
        f"{found.count:,} scrambled Sobol points (2 to the {log2(asked.draws):.0f}), seed {asked.seed}: the same again "
        "tomorrow."
    )
    words.append(f"{drawn}; a range holds {asked.held * 100:g} % of what may happen where nothing else is said.")
    if persists:
        words.append("What persists is AR(1) from one period to the next, begun from its stationary spread.")
    if found.count < asked.draws:
        words.append(f"Stopped after {found.count:,} of {asked.draws:,}.")
    return tuple(words)
