"""What happened as plain data: the series there are, one of them looked at in one of several ways."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from math import isfinite

import numpy as np

from widefork.core.analysis.trends import (
    Known,
    Series,
    all_known,
    filled_of,
    gathered,
    parts_of,
    together,
)
from widefork.core.errors import InvalidValue, WideforkError
from widefork.web.pages.actuals.past.incoming import IncomingPage, build_incoming
from widefork.web.pages.actuals.past.steps import StepRow, Suggestion, step_rows, suggestions
from widefork.web.pages.actuals.trends.chart import Overlay, Picture, draw_overlay, draw_picture, signed_percent
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path, round_ticks
from widefork.web.shared.charts.spark import spark
from widefork.web.shared.context import View, sentence_of, workspace

LOOKS = (("", "Line"), ("years", "Year by year"), ("parts", "Trend, season, rest"), ("members", "By member"),
         ("against", "One against another"))  # fmt: skip
PERIODS = ((12, "months"), (4, "quarters"), (2, "half-years"), (1, "years"))
WIDTH, PART_HEIGHT, SQUARE = 820, 92, 380


@dataclass(frozen=True, kw_only=True)
class ListRow:
    """A series in the list of all: its address, span, and course in small."""

    label: str
    words: str
    url: str
    spark: str
    is_open: bool


@dataclass(frozen=True, kw_only=True)
class PartView:
    """One part of a series: its name, path, and ticks up the side."""

    label: str
    path: str
    y_ticks: tuple[tuple[float, str], ...]
    top: float


@dataclass(frozen=True, kw_only=True)
class YearRow:
    """A fiscal year in the table year by year: each period, the total, growth."""

    label: str
    cells: tuple[str, ...]
    total: str
    growth: str


@dataclass(frozen=True, kw_only=True)
class Spread:
    """A member in the distribution: total and share of the latest whole year, and the share a year before."""

    label: str
    url: str
    total: str
    share: float
    share_words: str
    before: str


@dataclass(frozen=True, kw_only=True)
class Against:
    """Two series against one another: dots as (x, y, words), ticks, and how far they go together in words."""

    dots: tuple[tuple[float, float, str], ...]
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    words: str
    others: tuple[tuple[str, str], ...]
    other: str
    other_label: str
    fault: str


@dataclass(frozen=True, kw_only=True)
class HistoryPage:
    """The whole tab. Of the looks only the one asked for is there; ``fault`` is why it is not."""

    rows: tuple[ListRow, ...]
    known: Known | None
    incoming: IncomingPage | None
    looks: tuple[tuple[str, str, bool], ...]
    periods: tuple[tuple[str, str, bool], ...]
    picture: Picture | None
    overlay: Overlay | None
    years: tuple[YearRow, ...]
    heads: tuple[str, ...]
    parts: tuple[PartView, ...]
    spread: tuple[Spread, ...]
    spread_words: str
    against: Against | None
    fault: str
    steps: tuple[StepRow, ...]
    suggested: tuple[Suggestion, ...]
    words: tuple[str, ...]
    shows_original: bool
    original_url: str
    trends_url: str
    can_remove: bool


def build_history(view: View, args: Mapping[str, str], person: str) -> HistoryPage:
    """Return the tab for what an address asks."""
    model = view.snapshot.model
    document = workspace().incoming.of(view.address.model_id, person)
    incoming = build_incoming(document, model) if document is not None else None
    every = list(all_known(model))
    asked = args.get("series", "")
    known = next((each for each in every if each.name == asked), every[0] if every else None)
    look = args.get("look", "") if args.get("look", "") in dict(LOOKS) else ""
    shows_original = args.get("original") == "yes"
    rows = tuple(_list_row(view, each, each is known) for each in every)
    looks = tuple((label, view.address.url(look=key), key == look) for key, label in LOOKS)
    if known is None:
        return HistoryPage(
            rows=rows, known=None, incoming=incoming, looks=looks, periods=(), picture=None, overlay=None, years=(),
            heads=(), parts=(), spread=(), spread_words="", against=None, fault="", steps=(), suggested=(), words=(),
            shows_original=False, original_url="", trends_url="", can_remove=False,
        )  # fmt: skip
    per_year = int(args["per"]) if args.get("per", "") in ("12", "4", "2", "1") else known.raw.per_year
    per_year = per_year if known.raw.per_year % per_year == 0 and per_year <= known.raw.per_year else known.raw.per_year
    found = _Look(view, known, per_year, shows_original)
    fault = "" if asked in ("", known.name) else f"There is no series “{asked}”; this is the first there is."
    try:
        found.take(look, args.get("other", ""), every)
    except InvalidValue as refused:
        fault = sentence_of(refused)
    return HistoryPage(
        rows=rows, known=known, incoming=incoming, looks=looks,
        periods=tuple(
            (label, view.address.url(per=str(count)), count == per_year)
            for count, label in PERIODS
            if count <= known.raw.per_year
        ),
        picture=found.picture, overlay=found.overlay, years=found.years, heads=found.heads, parts=found.parts,
        spread=found.spread, spread_words=found.spread_words, against=found.against, fault=fault,
        steps=step_rows(known, filled_of(known)), suggested=suggestions(known), words=_words(known),
        shows_original=shows_original, original_url=view.address.url(original="" if shows_original else "yes"),
        trends_url=view.address.url(view="trends", look="", per="", other="", original="", series=known.name),
        can_remove=known.history is not None,
    )  # fmt: skip


def _list_row(view: View, known: Known, is_open: bool) -> ListRow:
    raw = known.raw
    words = f"{raw.known_count} {raw.period}{'' if raw.known_count == 1 else 's'} to {_last(known)}"
    return ListRow(
        label=known.label, words=words, url=view.address.url(view="history", series=known.name, other=""),
        spark=spark(raw.values[-60:], None, None).now, is_open=is_open,
    )  # fmt: skip


def _last(known: Known) -> str:
    place = int(np.flatnonzero(np.isfinite(known.raw.values))[-1]) if known.raw.known_count else 0
    return known.raw.month_at(place).plus(12 // known.raw.per_year - 1).label


def _words(known: Known) -> tuple[str, ...]:
    raw = known.raw
    gaps = len(raw.values) - raw.known_count
    doubled = len(known.history.doubled) if known.history is not None else 0
    many = raw.period if raw.known_count == 1 else f"{raw.period}s"
    found = [f"{raw.known_count} {many} known, {raw.start.label} to {_last(known)}."]
    if gaps:
        found.append(f"{gaps} {'is' if gaps == 1 else 'are'} missing.")
    if doubled:
        found.append(f"{doubled} came more than once; what came is added up until a step says otherwise.")
    if known.line is None:
        found.append("No line of the plan is called so; it can be looked at, forecast, and set against others.")
    return tuple(found)


class _Look:
    """One way of looking at a series, worked out only where it is asked for."""

    def __init__(self, view: View, known: Known, per_year: int, shows_original: bool) -> None:
        self.view, self.known, self.per_year = view, known, per_year
        self.adds = known.line is None or known.line.is_flow
        self.series = known.raw if shows_original else known.series
        self.timeline = view.snapshot.model.timeline
        self.shows_original = shows_original
        self.picture: Picture | None = None
        self.overlay: Overlay | None = None
        self.years: tuple[YearRow, ...] = ()
        self.heads: tuple[str, ...] = ()
        self.parts: tuple[PartView, ...] = ()
        self.spread: tuple[Spread, ...] = ()
        self.spread_words = ""
        self.against: Against | None = None

    def take(self, look: str, other: str, every: list[Known]) -> None:
        """Work out what a look shows."""
        match look:
            case "years":
                self._years()
            case "parts":
                self._parts()
            case "members":
                self._members(every)
            case "against":
                self._against(other, every)
            case _:
                self._line()

    def _gathered(self, series: Series) -> Series:
        return gathered(series, self.per_year, self.adds, self.timeline.fiscal_year_start)

    def _line(self) -> None:
        if self.per_year == self.known.raw.per_year:
            self.picture = draw_picture(self.known, self.timeline, None, None, self.shows_original)
            return
        shown = self._gathered(self.series)
        plain = replace(self.known, history=None, raw=shown, series=shown)
        self.picture = draw_picture(plain, self.timeline, None, None)

    def _years(self) -> None:
        series = self._gathered(self.series)
        shown = replace(self.known, history=None, raw=series, series=series)
        self.overlay = draw_overlay(shown, self.timeline, series.values, np.zeros(0), 520, 250)
        by_year: dict[int, dict[int, float]] = {}
        for place, value in enumerate(series.values):
            month = series.month_at(place)
            part = (self.timeline.fiscal_month(month) - 1) * series.per_year // 12
            by_year.setdefault(self.timeline.fiscal_year(month), {})[part] = float(value)
        first = self.timeline.fiscal_year_start
        names = {
            12: [_month_name(first, part) for part in range(12)],
            4: ["Q1", "Q2", "Q3", "Q4"],
            2: ["H1", "H2"],
            1: [],
        }
        self.heads = tuple(names[series.per_year])
        rows, earlier = [], float("nan")
        for year, parts in by_year.items():
            values = [parts.get(part, float("nan")) for part in range(series.per_year)]
            is_whole = all(isfinite(value) for value in values)
            total = (sum(values) if self.adds else float(np.mean(values))) if is_whole else float("nan")
            growth = signed_percent(total / earlier - 1) if isfinite(total) and earlier > 0 else ""
            cells = tuple(formats.cell(value, self.known.unit) if isfinite(value) else "" for value in values)
            rows.append(
                YearRow(label=f"FY{year % 100:02d}", cells=cells if series.per_year > 1 else (), growth=growth,
                        total=formats.cell(total, self.known.unit) if is_whole else "")
            )  # fmt: skip
            earlier = total
        self.years = tuple(rows)

    def _parts(self) -> None:
        found = parts_of(self._gathered(self.series))
        x = Scale(low=0, high=max(1, len(found.trend) - 1), start=60, end=WIDTH - 12)
        views = []
        for place, (label, values) in enumerate(
            (("Trend", found.trend), (f"Season of {found.season}", found.seasonal), ("Rest", found.rest))
        ):
            ticks = round_ticks(float(values.min()), float(values.max()), 2)
            top = place * (PART_HEIGHT + 14)
            y = Scale(low=ticks[0], high=ticks[-1], start=top + PART_HEIGHT, end=top + 8)
            views.append(
                PartView(
                    label=label,
                    path=path([(x(at), y(float(value))) for at, value in enumerate(values)]),
                    top=top,
                    y_ticks=tuple((y(tick), formats.amount(tick, self.known.unit)) for tick in ticks),
                )
            )
        self.parts = tuple(views)

    def _members(self, every: list[Known]) -> None:
        line = self.known.line
        beside = [each for each in every if line is not None and each.line is line and each.key]
        if line is None or not line.dimensions or len(beside) < 2:
            raise InvalidValue(f"{self.known.label} has no history by member beside it, so there is nothing to divide.")
        if not self.adds or line.rollup.over_members.value != "sum":
            raise InvalidValue(f"Members of {line.label} do not add up, so no shares of a whole can be told.")
        years = [self._year_totals(each) for each in beside]
        whole = sorted(set.intersection(*(set(totals) for totals in years)))
        if not whole:
            raise InvalidValue("There is no fiscal year in which every member is known in all its months.")
        year = whole[-1]
        sums = [totals[year] for totals in years]
        total = sum(sums)
        before = [totals.get(year - 1) for totals in years]
        earlier = sum(value for value in before if value is not None) if None not in before else 0.0
        if total <= 0:
            raise InvalidValue(f"Together they are {formats.amount(total, self.known.unit)} in FY{year % 100:02d}.")
        of = f"{formats.amount(total, self.known.unit)} {line.unit}"
        self.spread_words = f"Of {of} in FY{year % 100:02d}, the latest year known whole"
        self.spread = tuple(
            Spread(
                label=each.label, url=self.view.address.url(series=each.name),
                total=formats.cell(value, self.known.unit), share=round(value / total * 300, 1),
                share_words=f"{value / total * 100:.1f} %",
                before=f"{was / earlier * 100:.1f} %" if was is not None and earlier > 0 else "",
            )
            for each, value, was in sorted(
                zip(beside, sums, before, strict=True), key=lambda entry: -entry[1]
            )
        )  # fmt: skip

    def _year_totals(self, known: Known) -> dict[int, float]:
        series = gathered(known.raw if self.shows_original else known.series, 1, True, self.timeline.fiscal_year_start)
        return {
            self.timeline.fiscal_year(series.month_at(place)): float(value)
            for place, value in enumerate(series.values)
            if isfinite(value)
        }

    def _against(self, other: str, every: list[Known]) -> None:
        others = tuple((each.name, each.label) for each in every if each is not self.known)
        if not others:
            raise InvalidValue("There is only one series; bring in another to set against it.")
        chosen = next((each for each in every if each.name == other and each is not self.known), None)
        chosen = chosen or next(each for each in every if each is not self.known)
        fault, words = "", ""
        dots: list[tuple[float, float, str]] = []
        x_ticks: tuple[tuple[float, str], ...] = ()
        y_ticks: tuple[tuple[float, str], ...] = ()
        try:
            adds = chosen.line is None or chosen.line.is_flow
            theirs = chosen.raw if self.shows_original else chosen.series
            found = together(
                self._gathered(self.series), gathered(theirs, self.per_year, adds, self.timeline.fiscal_year_start)
            )
            across = round_ticks(float(found.other.min()), float(found.other.max()), 4)
            up = round_ticks(float(found.one.min()), float(found.one.max()), 4)
            x = Scale(low=across[0], high=across[-1], start=66, end=SQUARE - 12)
            y = Scale(low=up[0], high=up[-1], start=SQUARE - 90, end=10)
            for month, one, two in zip(found.months, found.one, found.other, strict=True):
                told = f"{month.label}: {formats.amount(one, self.known.unit)} at {formats.amount(two, chosen.unit)}"
                dots.append((x(float(two)), y(float(one)), told))
            x_ticks = tuple((x(tick), formats.amount(tick, chosen.unit)) for tick in across)
            y_ticks = tuple((y(tick), formats.amount(tick, self.known.unit)) for tick in up)
            words = _going_together(found.correlation, len(found.months), self.known.label, chosen.label)
        except WideforkError as refused:
            fault = sentence_of(refused)
        self.against = Against(
            dots=tuple(dots),
            x_ticks=x_ticks,
            y_ticks=y_ticks,
            words=words,
            others=others,
            other=chosen.name,
            other_label=f"{chosen.label}, {chosen.unit}" if chosen.unit else chosen.label,
            fault=fault,
        )


def _going_together(correlation: float, count: int, one: str, other: str) -> str:
    if not isfinite(correlation):
        return f"{one} or {other} never varies over {count} periods, so nothing can be told."
    size = abs(correlation)
    how = "hardly go together" if size < 0.3 else ("go together somewhat" if size < 0.7 else "go together closely")
    way = "" if size < 0.3 else (", the same way" if correlation > 0 else ", one up as the other goes down")
    return f"{one} and {other} {how}{way}: correlation {correlation:+.2f} over {count} periods.".replace("-", "−")


def _month_name(first: int, part: int) -> str:
    names = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
    return names[(first - 1 + part) % 12]
