"""The tab as plain data: from free cash flow to what the owners have, by year, case, rate and move."""

from dataclasses import dataclass
from math import isfinite

import numpy as np

from widefork.core.analysis.worth import (
    MoveWorth,
    PayBack,
    Worth,
    move_worth,
    rate_table,
    read_worth,
    worth_schedule,
)
from widefork.core.axes import Month, Period
from widefork.core.errors import UnknownName, WideforkError
from widefork.core.graph.rollup import roll_up
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.context import View, sentence_of, worked_out

PARTS = (
    ("operating_profit", "Operating profit (EBIT)", ""),
    ("tax", "Tax as if without debt", "−"),
    ("not_cash", "Depreciation, and what else is no cash", "+"),
    ("working", "Set free from working capital", "+"),
    ("spending", "Spent on assets, less what came for them", "−"),
    ("lease_payments", "Paid for leases", "−"),
    ("flow", "Free cash flow", "="),
    ("present", "Worth today", ""),
)
"""Rows of the flow: part of the schedule, label, and its sign in the sum."""


@dataclass(frozen=True, kw_only=True)
class StepRow:
    """One step from the plan's flows to the owners. ``url`` explains it."""

    label: str
    text: str
    words: str
    url: str
    is_total: bool


@dataclass(frozen=True, kw_only=True)
class FlowRow:
    """A part of free cash flow by fiscal year of the plan, each with where it is explained."""

    label: str
    sign: str
    cells: tuple[tuple[str, str], ...]
    is_total: bool


@dataclass(frozen=True, kw_only=True)
class CaseWorth:
    """What the business is worth in one case."""

    label: str
    style: int
    is_active: bool
    url: str
    business: str
    owners: str
    share: str


@dataclass(frozen=True, kw_only=True)
class WorthPage:
    """The whole tab. ``table`` are (rate, is today's, cells, each with whether it is today's)."""

    large: str
    sentence: str
    warnings: tuple[str, ...]
    steps: tuple[StepRow, ...]
    years: tuple[str, ...]
    rows: tuple[FlowRow, ...]
    cases: tuple[CaseWorth, ...]
    table_what: str
    table_heads: tuple[str, ...]
    table: tuple[tuple[str, tuple[tuple[str, bool], ...]], ...]
    table_fault: str
    terms_url: str
    has_moves: bool


def build_worth(view: View) -> WorthPage | None:
    """Return the tab; None where the business is not valued yet."""
    snapshot, model = view.snapshot, view.snapshot.model
    try:
        schedule = worth_schedule(model)
    except UnknownName:
        return None
    name, unit, timeline = schedule.name, model.currency, model.timeline
    found = read_worth(snapshot.results, view.place, name)
    heads, table, fault, what = _table(view, name)
    years = [
        Period(year.label, _year_label(year, timeline.first_plan), max(year.first, timeline.first_plan), year.last)
        for year in timeline.fiscal_years()
        if year.last >= timeline.first_plan
    ]
    return WorthPage(
        large=formats.amount(found.equity, unit),
        sentence=_sentence(view, found),
        warnings=_warnings(found),
        steps=_steps(view, found, name),
        years=tuple(year.label for year in years),
        rows=_rows(view, name, years),
        cases=_cases(view, name),
        table_what=what,
        table_heads=heads,
        table=table,
        table_fault=fault,
        terms_url=view.address.plain.url("terms", open=name),
        has_moves=bool(model.moves),
    )


def _year_label(year: Period, first_plan: Month) -> str:
    return year.label if year.first >= first_plan else f"{year.label} from {first_plan.label}"


def _sentence(view: View, found: Worth) -> str:
    case = view.snapshot.model.case(view.address.case).label
    middle = ", flows in the middle of their months" if found.is_mid else ""
    return f"to the owners in {case} at the end of {found.valued_at.label}, {found.rate * 100:.4g} % a year{middle}"


def _warnings(found: Worth) -> tuple[str, ...]:
    """What a reader should know before the figure is believed."""
    words = []
    if not isfinite(found.end_present):
        words.append(
            "What goes on beyond the plan has no value: it grows as fast as the rate, or faster. Lower the growth, or "
            "raise the rate, under Terms."
        )
    elif found.business > 0 and found.end_share > 0.75:  # common practice: most of it is then an assumption
        share = f"{found.end_share * 100:.0f} % of the business"
        words.append(f"{share} lies beyond the plan, in what is assumed to go on.")
    if isfinite(found.business) and found.business <= 0:
        words.append("The business is worth nothing by its own flows: they take more than they give.")
    return tuple(words)


def _steps(view: View, found: Worth, name: str) -> tuple[StepRow, ...]:
    model, unit = view.snapshot.model, view.snapshot.model.currency
    first, end = model.timeline.first_plan, model.timeline.end

    def url(part: str, start: Month = first, last: Month = end) -> str:
        line = f"{name}_{part}"
        if line not in model.line_by_name:
            return ""
        return view.address.plain.url("roots", line=line, start=start, end=last)

    def text(value: float) -> str:
        return formats.amount(value, unit)

    share = f"{found.end_share * 100:.0f} % of the business" if isfinite(found.end_share) else ""
    at_end = f"{text(found.end_value)} at the end of {end.label}" if isfinite(found.end_value) else ""
    words = ", ".join(part for part in (share, at_end) if part)
    owed = "cash beyond what is owed" if found.net_debt < 0 else "owed beyond cash"
    debt_url = url("net_debt", found.valued_at, found.valued_at) if found.valued_at >= model.timeline.start else ""
    months = f"{first.label} to {end.label}"
    rows = (
        ("The plan's free cash flow, worth today", found.plan, months, url("present"), False),
        ("What goes on beyond it, worth today", found.end_present, words, url("end_present"), False),
        ("Worth of the business", found.business, "", url("business"), True),
        ("Less net debt", -found.net_debt, f"{owed} at the end of {found.valued_at.label}", debt_url, False),
        ("Worth to the owners", found.equity, "", url("equity"), True),
    )
    return tuple(
        StepRow(label=label, text=text(value), words=said, url=address, is_total=is_total)
        for label, value, said, address, is_total in rows
    )


def _rows(view: View, name: str, years: list[Period]) -> tuple[FlowRow, ...]:
    snapshot, model = view.snapshot, view.snapshot.model
    rows = []
    for part, label, sign in PARTS:
        line = part if part in model.line_by_name and part == "operating_profit" else f"{name}_{part}"
        if line not in model.line_by_name:
            continue
        values = roll_up(snapshot.results, line, years)[:, view.place]
        cells = tuple(
            (formats.cell(float(value), model.currency),
             view.address.plain.url("roots", line=line, start=year.first, end=year.last))
            for year, value in zip(years, values, strict=True)
        )  # fmt: skip
        rows.append(FlowRow(label=label, sign=sign, cells=cells, is_total=part in ("flow", "present")))
    return tuple(rows)


def _cases(view: View, name: str) -> tuple[CaseWorth, ...]:
    model, unit = view.snapshot.model, view.snapshot.model.currency
    rows = []
    for place, case in enumerate(model.cases):
        found = read_worth(view.snapshot.results, view.snapshot.place(case.name), name)
        share = f"{found.end_share * 100:.0f} %" if isfinite(found.end_share) else formats.NO_VALUE
        rows.append(
            CaseWorth(
                label=case.label, style=style_of(place), is_active=case.name == view.address.case,
                url=view.address.url(case=case.name), business=formats.amount(found.business, unit),
                owners=formats.amount(found.equity, unit), share=share,
            )
        )  # fmt: skip
    return tuple(rows)


def _table(
    view: View, name: str
) -> tuple[tuple[str, ...], tuple[tuple[str, tuple[tuple[str, bool], ...]], ...], str, str]:
    """Heads and rows of the two-way table, why there is none, and what goes across."""
    model, case = view.snapshot.model, view.address.case
    plan = view.snapshot.plan
    try:
        found = worked_out(view, ("rates", case), lambda _: rate_table(plan, model.changes_of(case), name))
    except WideforkError as refused:
        return (), (), sentence_of(refused), ""
    heads = tuple(
        f"{other * 100:.3g} %" if found.what == "growth" else f"{other:.3g}" if found.what else "worth to the owners"
        for other in found.others
    )
    middle = (len(found.rates) // 2, len(found.others) // 2)
    rows = tuple(
        (
            f"{rate * 100:.4g} %",
            tuple(
                (formats.amount(float(value), model.currency), (down, across) == middle)
                for across, value in enumerate(row)
            ),
        )
        for down, (rate, row) in enumerate(zip(found.rates, found.values, strict=True))
    )
    return heads, rows, "", {"growth": "growth beyond the plan", "multiple": "multiple of EBITDA"}.get(found.what, "")


@dataclass(frozen=True, kw_only=True)
class MoveRow:
    """What a move is worth, with its measures within the plan."""

    label: str
    is_on: bool
    total: str
    plan: str
    beyond: str
    rates: str
    modified: str
    simple: str
    discounted: str
    index: str


def build_moves(view: View) -> tuple[MoveRow, ...]:
    """Return what every move is worth in the active case, the one worth most first; those that cannot be told last."""
    model, plan, case = view.snapshot.model, view.snapshot.plan, view.address.case
    name = worth_schedule(model).name
    on = {layer.move for layer in model.layers_of(case)}
    found = [
        worked_out(view, ("move", case, move.name), lambda _, move=move: move_worth(plan, case, move.name, name))  # type: ignore[misc]
        for move in model.moves
    ]
    found.sort(key=lambda each: -np.nan_to_num(each.total, nan=-np.inf))
    return tuple(_move_row(view, each, each.move in on) for each in found)


def _move_row(view: View, found: MoveWorth, is_on: bool) -> MoveRow:
    model, unit = view.snapshot.model, view.snapshot.model.currency
    return MoveRow(
        label=model.move_by_name[found.move].label,
        is_on=is_on,
        total=formats.signed(found.total, unit),
        plan=formats.signed(found.plan, unit),
        beyond=formats.signed(found.beyond, unit),
        rates=" and ".join(f"{rate * 100:.1f} %".replace("-", formats.MINUS) for rate in found.rates) or "none",
        modified=f"{found.modified * 100:.1f} %".replace("-", formats.MINUS) if isfinite(found.modified) else "none",
        simple=_when(view, found.simple),
        discounted=_when(view, found.discounted),
        index=f"{found.index:.2f}" if isfinite(found.index) else "takes nothing",
    )


def _when(view: View, found: PayBack) -> str:
    """The month in which it has paid back; that it does not last is said."""
    if not isfinite(found.periods):
        return "not in the plan"
    if not found.periods:
        return "at once"
    timeline = view.snapshot.model.timeline
    month = (timeline.last_actual or timeline.start.plus(-1)).plus(int(np.ceil(found.periods - 1e-9)))
    return month.label if found.is_for_good else f"{month.label}, not for good"
