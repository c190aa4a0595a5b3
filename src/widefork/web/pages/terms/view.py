"""The page of terms as plain data: the schedules by part, and the one that is open."""

from dataclasses import dataclass
from importlib.resources import files

import numpy as np

from widefork.core.errors import InvalidModel
from widefork.core.finance.assemble import book_of, write_schedules
from widefork.core.finance.schedules import SCHEDULES, Draft, Schedule, SettingKind
from widefork.core.finance.settlement import SETTLED
from widefork.core.finance.statements import CAPTION_BY_NAME, Caption, Statement
from widefork.core.finance.when_paid import Payment, payments, posts_nowhere
from widefork.core.graph.model import ScheduleSettings
from widefork.web.pages.terms.fields import Field, fields_of
from widefork.web.pages.terms.opening import OpeningSheet, build_opening
from widefork.web.shared import formats
from widefork.web.shared.charts.spark import spark
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Cell, Column, Columns, cells_of, columns_of, values_of
from widefork.web.shared.wording import change_words

PAID, OPENING = "paid", "opening"
ELSEWHERE = {"people": "people"}
"""Kinds whose registers another page keeps."""
_NO_CAPTION = Caption("", "", Statement.NOTE)


@dataclass(frozen=True, kw_only=True)
class Entry:
    """A schedule in the list: its terms in words, its balance at the end of the view, and the balance's course."""

    name: str
    label: str
    kind: str
    words: str
    closing: str
    spark: str
    url: str
    is_open: bool
    has_notice: bool


@dataclass(frozen=True)
class Group:
    """A part of the page, with what may be added to it as (kind, label, summary, address)."""

    label: str
    entries: tuple[Entry, ...]
    kinds: tuple[tuple[str, str, str, str], ...]


@dataclass(frozen=True, kw_only=True)
class RollRow:
    """A row of a schedule's table; ``sign`` says whether it adds, takes away, or is a balance or a note."""

    label: str
    sign: str
    cells: tuple[Cell, ...]
    posts_to: str
    url: str = ""


@dataclass(frozen=True, kw_only=True)
class AssetColumn:
    """An attribute of a register's members."""

    key: str
    label: str
    choices: tuple[tuple[str, str], ...]
    hint: str


@dataclass(frozen=True)
class Asset:
    """A member of a register: its attributes in the order of the columns."""

    name: str
    values: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class Open:
    """The schedule that is open, or a new one of a kind."""

    kind: Schedule
    name: str
    label: str
    fields: tuple[Field, ...]
    help: str
    notices: tuple[str, ...]
    rows: tuple[RollRow, ...]
    columns: tuple[AssetColumn, ...] = ()
    assets: tuple[Asset, ...] = ()
    register: str = ""
    drivers_url: str = ""
    settlements: tuple[tuple[str, str], ...] = ()
    adjusted: tuple[tuple[str, str], ...] = ()
    put_off_from: str = ""
    put_off_to: str = ""
    kept_url: str = ""
    is_register: bool = False

    @property
    def rare(self) -> str:
        """What the fields seldom needed are about, for the line that opens them; empty for none."""
        labels = [field.label for field in self.fields if field.is_rare and not field.when]
        return ", ".join(labels[:5]) + (" and more" if len(labels) > 5 else "")

    @property
    def rare_given(self) -> bool:
        """Whether one of them is set."""
        return any(field.is_rare and field.text for field in self.fields)


@dataclass(frozen=True, kw_only=True)
class PaidRow:
    """A line and when it is paid; ``choices`` are the schedules that could settle it."""

    payment: Payment
    amount: str
    url: str
    choices: tuple[tuple[str, str], ...]
    settlement: str
    adjusted: tuple[tuple[str, str], ...]


@dataclass(frozen=True, kw_only=True)
class TermsPage:
    """The whole page."""

    groups: tuple[Group, ...]
    opened: Open | None
    paid: tuple[PaidRow, ...]
    nowhere: tuple[tuple[str, str], ...]
    opening: OpeningSheet | None
    table: tuple[Column, ...]
    paid_url: str
    opening_url: str
    shows: str
    opening_differs: bool


def build(view: View, shows: str, new_kind: str) -> TermsPage:
    """Return the page with one thing open: a schedule, a new one, the list of when things are paid, or the opening."""
    stored = view.snapshot.stored.model
    drafts = {draft.given.name: draft for draft in write_schedules(stored)}
    if new_kind not in SCHEDULES:
        new_kind = ""
    if shows not in (*drafts, PAID, OPENING) and not new_kind:
        shows = next(iter(drafts), PAID)
    table = columns_of(view)
    opening = build_opening(view)
    opened = None
    if new_kind:
        opened = _new(view, SCHEDULES[new_kind])
    elif shows in drafts:
        opened = _opened(view, drafts[shows], table)
    return TermsPage(
        groups=_groups(view, drafts, shows if not new_kind else ""),
        opened=opened,
        paid=_paid(view) if shows == PAID and not new_kind else (),
        nowhere=tuple(
            (view.snapshot.model.line(name).label, view.address.url("drivers", focus=name, panel=name))
            for name in posts_nowhere(view.snapshot.plan)
        ),
        opening=opening if shows == OPENING and not new_kind else None,
        table=table.columns,
        paid_url=view.address.url(open=PAID, new=""),
        opening_url=view.address.url(open=OPENING, new=""),
        shows="" if new_kind else shows,
        opening_differs=bool(opening.difference),
    )


def _groups(view: View, drafts: dict[str, Draft], shows: str) -> tuple[Group, ...]:
    groups: dict[str, list[Entry]] = {kind.group: [] for kind in SCHEDULES}
    for draft in drafts.values():
        groups[draft.schedule.group].append(_entry(view, draft, draft.given.name == shows))
    return tuple(
        Group(
            group,
            tuple(entries),
            tuple(
                (kind.name, kind.label, kind.summary, view.address.url(new=kind.name, open=""))
                for kind in SCHEDULES
                if kind.group == group
            ),
        )
        for group, entries in groups.items()
    )


def _main_line(draft: Draft) -> str:
    """The line that says most of a schedule: its balance, or else its first movement that posts."""
    if draft.rolls:
        return draft.rolls[-1].balance if draft.schedule.name == "asset_register" else draft.rolls[0].balance
    balances = [line.name for line in draft.lines if line.posts_to and not line.is_flow]
    posted = [line.name for line in draft.lines if line.posts_to]
    return next(iter((*balances, *posted)), "")


def _entry(view: View, draft: Draft, is_open: bool) -> Entry:
    name = _main_line(draft)
    timeline = view.snapshot.model.timeline
    closing = course = ""
    if name:
        unit = view.snapshot.model.line(name).unit
        months = view.snapshot.results.series(name, (), view.place)[
            timeline.span(view.address.first, view.address.last)
        ]
        closing = formats.cell(float(months[-1]), unit)
        course = spark(months, None, None).now if len(months) > 1 else ""
    given = draft.given
    return Entry(
        name=given.name,
        label=given.label,
        kind=draft.schedule.label,
        words=draft.schedule.words(draft),
        closing=closing,
        spark=course,
        url=view.address.url(open=given.name, new=""),
        is_open=is_open,
        has_notice=bool(draft.notices) or bool(_negative(view, draft)),
    )


def _negative(view: View, draft: Draft) -> str:
    """The notice where the simple way would collect or pay less than nothing; empty where it does not."""
    if draft.schedule.name not in ("receivables", "payables"):
        return ""
    verb = "collected" if draft.schedule.name == "receivables" else "paid"
    months = view.snapshot.results.series(draft.name(verb), (), view.place)
    place = int(np.nan_to_num(months).argmin())
    if not months[place] < -0.005:
        return ""
    month, unit = view.snapshot.model.timeline.months[place].label, view.snapshot.model.currency
    return (
        f"{formats.amount(float(months[place]), unit)} would be {verb} in {month}: the balance grows by more than is "
        "invoiced. Days counted back over invoices cannot do that."
    )


def _help(schedule: Schedule) -> str:
    folder = schedule.write.__module__.rpartition(".")[0]
    return files(folder).joinpath("help.md").read_text("utf-8") if folder.count(".") > 4 else schedule.summary


def _new(view: View, schedule: Schedule) -> Open:
    stored = view.snapshot.stored.model
    fields = fields_of(schedule, None, stored, book_of(stored))
    return Open(kind=schedule, name="", label="", fields=fields, help=_help(schedule), notices=(), rows=())


def _opened(view: View, draft: Draft, table: Columns) -> Open:
    stored = view.snapshot.stored.model
    given, schedule = draft.given, draft.schedule
    first_plan = stored.timeline.first_plan
    notices = [*draft.notices, *([_negative(view, draft)] if _negative(view, draft) else [])]
    kept_there = ELSEWHERE.get(schedule.name, "")
    register = str(given.settings.get("register", "")) if schedule.attributes and not kept_there else ""
    return Open(
        kind=schedule,
        name=given.name,
        label=given.label,
        fields=fields_of(schedule, given, stored, book_of(stored)),
        help=_help(schedule),
        notices=tuple(notices),
        rows=_rows(view, draft, table),
        columns=tuple(
            AssetColumn(key=a.key, label=a.label, choices=a.choices, hint=a.hint) for a in schedule.attributes
        ),
        assets=_assets(view, schedule, register) if register else (),
        register=register,
        drivers_url=view.address.url("drivers", open=given.name, focus=draft.lines[0].name if draft.lines else None),
        settlements=_settlements(view, draft),
        adjusted=_adjusted(view, tuple(line.name for line in draft.lines if not line.is_assumption)),
        put_off_from=first_plan.label,
        put_off_to=first_plan.plus(2).label,
        kept_url=view.address.url(kept_there, plan=given.name) if kept_there else "",
        is_register=any(line.is_fixed for line in draft.lines),
    )


def _settlements(view: View, draft: Draft) -> tuple[tuple[str, str], ...]:
    """The payments of a schedule that can be put off: what is settled in cash and does not read its own past."""
    paid = [
        line for line in draft.lines if CAPTION_BY_NAME.get(line.posts_to, _NO_CAPTION).statement is Statement.RECEIPTS
    ]
    return tuple((line.name, _short(view, line.name)) for line in paid if line.name not in view.snapshot.plan.own_past)


def _assets(view: View, schedule: Schedule, register: str) -> tuple[Asset, ...]:
    dimension = view.snapshot.stored.model.dimension_by_name[register]
    return tuple(
        Asset(
            member,
            tuple(_attribute(dimension.attributes.get(member, {}).get(a.key, ""), a.unit) for a in schedule.attributes),
        )
        for member in dimension.members
    )


def _attribute(value: str | float, unit: str) -> str:
    if isinstance(value, str):
        return value
    return f"{formats.typed(value, unit)} %" if unit.startswith("%") else formats.written_out(value)


def _rows(view: View, draft: Draft, table: Columns) -> tuple[RollRow, ...]:
    rows: list[RollRow] = []
    shown: set[str] = set()
    for roll in draft.rolls:
        rows.append(_opening_row(view, roll.balance, table))
        rows += [_roll_row(view, name, "+", table) for name in roll.adds]
        rows += [_roll_row(view, name, formats.MINUS, table) for name in roll.takes]
        rows.append(_roll_row(view, roll.balance, "=", table))
        shown |= {roll.balance, *roll.adds, *roll.takes}
    for line in draft.lines:
        is_worth_showing = line.posts_to or line.name.endswith(("_open_0", "_open_1", "_open_2", "_open_older"))
        if line.name not in shown and is_worth_showing:
            rows.append(_roll_row(view, line.name, "", table))
    return tuple(rows)


def _short(view: View, name: str) -> str:
    label = view.snapshot.model.line(name).label
    return label.partition(": ")[2] or label


def _roll_row(view: View, name: str, sign: str, table: Columns) -> RollRow:
    line = view.snapshot.model.line(name)
    caption = CAPTION_BY_NAME.get(line.posts_to)
    posts = caption.label if caption is not None else ""
    return RollRow(
        label=_short(view, name),
        sign=sign,
        cells=cells_of(view, name, table),
        posts_to=posts,
        url=view.address.url("roots", line=name),
    )


def _opening_row(view: View, name: str, table: Columns) -> RollRow:
    """What a balance opens each period with: its own of the month before."""
    timeline, line = view.snapshot.model.timeline, view.snapshot.model.line(name)
    cells = []
    for column, period in zip(table.columns, table.all, strict=True):
        earlier = period.first.plus(-1)
        value = line.opening
        if earlier >= timeline.start:
            value = float(view.snapshot.results.series(name, (), view.place)[timeline.index(earlier)])
        url = view.address.url("roots", line=name, start=max(earlier, timeline.start), end=max(earlier, timeline.start))
        cells.append(
            Cell(
                id=f"o-{name}-{column.key}",
                value=value,
                text=formats.cell(value, line.unit),
                before="",
                moved="",
                url=url,
                column=column,
            )
        )
    return RollRow(label="at the beginning", sign="", cells=tuple(cells), posts_to="")


def _paid(view: View) -> tuple[PaidRow, ...]:
    stored = view.snapshot.stored.model
    settlers = [given for given in stored.schedules if _settles(given)]
    rows = []
    for payment in payments(stored):
        kinds = ("receivables",) if payment.is_receipt else ("payables", "accrued_costs", "payroll")
        year = columns_of(view).all[-1:]
        own = f"{SETTLED}_{payment.line}"
        settlement = own if own in view.snapshot.model.line_by_name else ""
        line = view.snapshot.model.line(payment.line)
        rows.append(
            PaidRow(
                payment=payment,
                amount=formats.cell(values_of(view, payment.line, year)[0], line.unit) if year else "",
                url=view.address.url(open=payment.schedule, new="") if payment.schedule else "",
                choices=tuple((given.name, given.label) for given in settlers if given.kind in kinds),
                settlement=settlement,
                adjusted=_adjusted(view, (settlement,)) if settlement else (),
            )
        )
    return tuple(rows)


def _adjusted(view: View, lines: tuple[str, ...]) -> tuple[tuple[str, str], ...]:
    """What the active case itself does to calculated lines, such as a payment put off: (line, in words)."""
    model = view.snapshot.model
    own = [change for change in model.case(view.address.case).changes if change.line in lines]
    return tuple((change.line, f"{_short(view, change.line)}: {change_words(change, model)}") for change in own)


def _settles(given: ScheduleSettings) -> bool:
    return given.kind in ("receivables", "payables", "accrued_costs", "payroll")


def register_of(schedule: Schedule, given: ScheduleSettings) -> str:
    """Return the dimension whose members a schedule's assets are; raise InvalidModel where it has none."""
    if not any(setting.kind is SettingKind.REGISTER for setting in schedule.settings):
        raise InvalidModel(f"{given.label} has no register.", f"schedules/{given.name}")
    return str(given.settings["register"])
