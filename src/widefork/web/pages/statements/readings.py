"""Ratios and checks as plain data: what the statements say, and whether they hold."""

from dataclasses import dataclass
from math import isfinite

import numpy as np

from widefork.core.analysis.waterline import read_waterline
from widefork.core.finance.checks import ALL_CHECKS, Checked, Finding, LimitTest, limit_tests
from widefork.core.finance.statements import RATIOS
from widefork.core.graph.model import Limit, Rhythm
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Cell, Column, cells_of, columns_of
from widefork.web.shared.workspace import Snapshot

USUAL_BUFFER = 10.0


@dataclass(frozen=True, kw_only=True)
class RatioRow:
    """A ratio over the columns, with what it means, where that is from, and its formula."""

    label: str
    unit: str
    meaning: str
    source: str
    formula: str
    cells: tuple[Cell, ...]


@dataclass(frozen=True, kw_only=True)
class Metric:
    """A single answer in words, and where it is explained."""

    label: str
    text: str
    why: str
    url: str


@dataclass(frozen=True, kw_only=True)
class RatioSheet:
    """Ratios by group, and the metrics that are one answer for the whole plan."""

    columns: tuple[Column, ...]
    groups: tuple[tuple[str, tuple[RatioRow, ...]], ...]
    metrics: tuple[Metric, ...]
    buffer: str


@dataclass(frozen=True, kw_only=True)
class FindingRow:
    """Something that does not hold, in words."""

    case: str
    month: str
    amount: str
    cause: str
    url: str


@dataclass(frozen=True, kw_only=True)
class CheckRow:
    """A check: what it means, and what it found; none where it holds."""

    label: str
    meaning: str
    findings: tuple[FindingRow, ...]
    more: int


@dataclass(frozen=True, kw_only=True)
class LimitRow:
    """A covenant or own limit with its tests in the active case; ``meaning`` is that of the ratio it is about."""

    name: str
    label: str
    line: str
    line_label: str
    words: str
    meaning: str
    least: str
    most: str
    tested: str
    first: str
    note: str
    is_covenant: bool
    url: str
    tests: tuple[tuple[str, str, str, bool], ...]
    holds: bool


@dataclass(frozen=True, kw_only=True)
class CheckSheet:
    """Every check, and the limits."""

    rows: tuple[CheckRow, ...]
    failing: int
    limits: tuple[LimitRow, ...]
    lines: tuple[tuple[str, str], ...]
    tested: tuple[str, ...]


def build_ratios(view: View, buffer: str) -> RatioSheet:
    """Return the ratios over the visible columns, and the metrics of the whole plan."""
    table = columns_of(view)
    model = view.snapshot.model
    groups: dict[str, list[RatioRow]] = {}
    for ratio in RATIOS:
        line = model.line(ratio.name)
        is_own = not line.is_generated  # a line of the modeller's own took the name
        groups.setdefault(ratio.group, []).append(RatioRow(
            label=line.label,
            unit=line.unit,
            meaning=line.note or "A line of your own." if is_own else ratio.meaning,
            source="" if is_own else ratio.source,
            formula=line.formula or ratio.formula,
            cells=cells_of(view, ratio.name, table),
        ))  # fmt: skip
    share = _buffer(buffer)
    return RatioSheet(
        columns=table.columns,
        groups=tuple((group, tuple(rows)) for group, rows in groups.items()),
        metrics=_metrics(view, share),
        buffer=f"{share:g}",
    )


def _buffer(text: str) -> float:
    try:
        value = float(text.strip().removesuffix("%").replace(",", "."))
    except ValueError:
        return USUAL_BUFFER
    return min(max(value, 0.0), 1000.0) if isfinite(value) else USUAL_BUFFER


def _metrics(view: View, buffer: float) -> tuple[Metric, ...]:
    model, currency = view.snapshot.model, view.snapshot.model.currency
    timeline = model.timeline

    def from_then_on(line: str) -> str:
        """The first plan month from which a line stays above zero."""
        values = view.snapshot.results.series(line, (), view.place)[timeline.actual_count :]
        under = np.flatnonzero(~(values > 0))
        place = int(under[-1]) + 1 if under.size else 0
        return timeline.months[timeline.actual_count + place].label if place < len(values) else "not in the plan"

    def first_in(line: str) -> str:
        values = view.snapshot.results.series(line, (), view.place)[timeline.actual_count :]
        found = np.flatnonzero(values > 0)
        return timeline.months[timeline.actual_count + int(found[0])].label if found.size else "not in the plan"

    reading = read_waterline(view.snapshot.results, view.place)
    need = max(0.0, -reading.room) if reading is not None else float("nan")
    raised = "nothing" if need == 0 else formats.amount(need * (1 + buffer / 100), currency)
    why = "cash stays above the waterline in every month"
    if reading is not None and need:
        why = f"{formats.amount(need, currency)} short in {reading.lowest_month.label}, and {buffer:g} % on top"
    return (
        Metric(
            label="Break-even of the month",
            text=first_in("net_profit"),
            why=f"for good from {from_then_on('net_profit')}",
            url=view.address.url("roots", line="net_profit"),
        ),
        Metric(
            label="Break-even of the running total",
            text=from_then_on("running_profit"),
            why="net profit since the first month",
            url=view.address.url("roots", line="running_profit"),
        ),
        Metric(label="Money to raise", text=raised, why=why, url=view.address.url("roots", line="headroom")),
    )


def failing_checks(view: View) -> int:
    """Return how many checks do not hold, in whatever case."""
    return sum(bool(found) for found in findings_of(view))


def failing_here(view: View) -> int:
    """Return how many of them do not hold in the active case."""
    here = ("", view.address.case)
    return sum(any(finding.case in here for finding in found) for found in findings_of(view))


def findings_of(view: View) -> tuple[tuple[Finding, ...], ...]:
    """Return what every check finds, in their order."""
    return view.snapshot.kept("findings", lambda: _find_all(view.snapshot))


def _find_all(snapshot: Snapshot) -> tuple[tuple[Finding, ...], ...]:
    checked = Checked(snapshot.results)
    return tuple(tuple(check.find(checked)) for check in ALL_CHECKS)


SHOWN_FINDINGS = 8


def build_checks(view: View) -> CheckSheet:
    """Return every check with what it found, and the limits with their tests in the active case."""
    model = view.snapshot.model
    rows = []
    for check, found in zip(ALL_CHECKS, findings_of(view), strict=True):
        words = tuple(_finding(view, finding) for finding in found[:SHOWN_FINDINGS])
        rows.append(
            CheckRow(label=check.label, meaning=check.meaning, findings=words, more=max(0, len(found) - SHOWN_FINDINGS))
        )
    checked = Checked(view.snapshot.results)
    ratios = [(ratio.name, model.line(ratio.name).label) for ratio in RATIOS]
    others = [(line.name, line.label) for line in model.lines if line.name not in dict(ratios)]
    return CheckSheet(
        rows=tuple(rows),
        failing=failing_checks(view),
        limits=tuple(_limit(view, checked, limit) for limit in model.limits),
        lines=(*ratios, *others),
        tested=tuple(tested.value for tested in Rhythm),
    )


def _finding(view: View, finding: Finding) -> FindingRow:
    model = view.snapshot.model
    unit = model.line(finding.line).unit if finding.line else model.currency
    url = ""
    if finding.line:
        month = finding.month
        url = view.address.url(
            "roots", case=finding.case or view.address.case, line=finding.line, start=month, end=month
        )
    return FindingRow(
        case=model.case(finding.case).label if finding.case else "every case",
        month=finding.month.label if finding.month is not None else "",
        amount=formats.amount(finding.amount, unit) if isfinite(finding.amount) else "",
        cause=finding.cause,
        url=url,
    )


def _limit(view: View, checked: Checked, limit: Limit) -> LimitRow:
    line = view.snapshot.model.line(limit.line)

    def shown(value: float) -> str:
        return formats.amount(value, line.unit)

    bounds = [f"at least {shown(limit.least)}"] if limit.least is not None else []
    bounds += [f"at most {shown(limit.most)}"] if limit.most is not None else []
    tests = limit_tests(checked, limit, view.place)
    ratio = next((ratio for ratio in RATIOS if ratio.name == limit.line and line.is_generated), None)

    def tested(test: LimitTest) -> tuple[str, str, str, bool]:
        if ratio is not None and ratio.judged_by and not isfinite(test.value):
            return test.month.label, "not meaningful", "net cash" if test.holds else "net debt", test.holds
        return test.month.label, shown(test.value), shown(test.headroom), test.holds

    return LimitRow(
        name=limit.name,
        label=limit.label,
        line=limit.line,
        line_label=line.label,
        words=f"{' and '.join(bounds)}, {limit.tested.value}",
        meaning=f"{ratio.meaning} ({ratio.source})" if ratio is not None else "",
        least=formats.typed(limit.least, line.unit) if limit.least is not None else "",
        most=formats.typed(limit.most, line.unit) if limit.most is not None else "",
        tested=limit.tested.value,
        first=limit.first.label if limit.first is not None else "",
        note=limit.note,
        is_covenant=limit.is_covenant,
        url=view.address.url("roots", line=limit.line),
        tests=tuple(map(tested, tests)),
        holds=all(test.holds for test in tests),
    )
