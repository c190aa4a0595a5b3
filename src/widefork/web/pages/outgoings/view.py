"""The list of outgoings as plain data."""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.outgoings import Missing, Outgoing, Rhythm, missing, outgoings
from widefork.core.finance.when_paid import payments
from widefork.web.shared import formats
from widefork.web.shared.charts.spark import spark
from widefork.web.shared.context import View


@dataclass(frozen=True, kw_only=True)
class Row:
    """An outgoing: what it posts to, when it comes and is paid, its course and its years."""

    label: str
    caption: str
    when: str
    paid: str
    course: str
    years: tuple[str, ...]
    url: str


@dataclass(frozen=True)
class Group:
    """Outgoings of one rhythm, with what they come to together."""

    label: str
    rows: tuple[Row, ...]
    years: tuple[str, ...]


@dataclass(frozen=True)
class Question:
    """Something usual that is absent, with where to add it."""

    label: str
    question: str
    url: str


@dataclass(frozen=True, kw_only=True)
class OutgoingsPage:
    """The whole page; ``years`` head the columns; ``not_ours`` was answered so."""

    groups: tuple[Group, ...]
    years: tuple[tuple[str, str], ...]
    questions: tuple[Question, ...]
    not_ours: tuple[str, ...]
    add_url: str
    count: int


def build(view: View) -> OutgoingsPage:
    """Return every outgoing of the active case by rhythm, and what is usual and absent."""
    found = outgoings(view.snapshot.results, view.place)
    paid = {payment.line: payment.words for payment in payments(view.snapshot.stored.model)}
    years = view.snapshot.model.timeline.fiscal_years()
    groups = []
    for rhythm in Rhythm:
        own = [one for one in found if one.rhythm is rhythm]
        if own:
            total = np.sum([one.months for one in own], axis=0)
            groups.append(Group(
                str(rhythm).capitalize(), tuple(_row(view, one, paid) for one in own), _by_year(view, total)
            ))  # fmt: skip
    return OutgoingsPage(
        groups=tuple(groups),
        years=tuple((year.label, year.note) for year in years),
        questions=tuple(_question(view, one) for one in missing(view.snapshot.stored.model)),
        not_ours=view.snapshot.stored.model.not_ours,
        add_url=view.address.url("sell", pattern="outgoings"),
        count=len(found),
    )


def _row(view: View, one: Outgoing, paid: dict[str, str]) -> Row:
    line = one.line
    settled = paid.get(line.name, "" if one.is_cost else "as it falls due")
    page = {"line": line.name, "start": view.address.first, "end": view.address.last}
    url = view.address.url("roots", **page)
    if not line.is_generated:
        url = view.address.url("drivers", focus=line.name, panel=line.name)
    return Row(
        label=line.label,
        caption=one.caption,
        when=one.when,
        paid=settled,
        course=spark(one.months, None, None).now,
        years=_by_year(view, one.months),
        url=url,
    )


def _by_year(view: View, months: "np.typing.NDArray[np.float64]") -> tuple[str, ...]:
    timeline, unit = view.snapshot.model.timeline, view.snapshot.model.currency
    return tuple(
        formats.cell(float(months[timeline.index(year.first) : timeline.index(year.last) + 1].sum()), unit)
        for year in timeline.fiscal_years()
    )


def _question(view: View, one: Missing) -> Question:
    url = view.address.url("sell", pattern="outgoings", row=one.label, kind=one.kind, under=one.under)
    return Question(one.label, one.question, url)
