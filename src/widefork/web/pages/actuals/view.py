"""The page of actuals as plain data: the months, and one of them on its way to being closed or closed already."""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.analysis.month_close import Explained, Nature, Reconciled, reconcile
from widefork.core.analysis.month_close.reconcile import unexplained_of
from widefork.core.axes import Month
from widefork.core.engine import evaluate
from widefork.core.graph.calculate import Results
from widefork.store.books import Books, Match
from widefork.store.seals import Seal
from widefork.web.pages.actuals.close import LEFT_OUT, TOLERATED, Account, Ages, Closed, on_trial, places
from widefork.web.pages.actuals.sheet import Sheet
from widefork.web.pages.actuals.variance import AS_PLANNED, VarianceRow, variance_rows
from widefork.web.shared import formats
from widefork.web.shared.context import View, workspace
from widefork.web.shared.workspace import Snapshot

_AGES = ("this month", "last month", "2 months ago")


@dataclass(frozen=True, kw_only=True)
class MonthEntry:
    """A month in the list."""

    label: str
    words: str
    url: str
    is_open: bool
    is_next: bool


@dataclass(frozen=True, kw_only=True)
class AccountRow:
    """An account of the books; ``taken`` is its amount in its natural sense where that differs."""

    name: str
    amount: str
    taken: str
    typed: str
    how: str
    fault: str


@dataclass(frozen=True, kw_only=True)
class ExplainedRow:
    """A balance from its opening to the books."""

    label: str
    opening: str
    moved: str
    expected: str
    closing: str
    unexplained: str
    url: str


@dataclass(frozen=True, kw_only=True)
class AgesRow:
    """A balance by age, newest last, as (label, key, amount typed)."""

    label: str
    schedule: str
    fields: tuple[tuple[str, str, str], ...]
    is_given: bool
    fault: str


@dataclass(frozen=True, kw_only=True)
class BooksShown:
    """Books on their way in."""

    columns: tuple[tuple[int, str], ...]
    name_column: int
    amount_column: int
    credit_column: int
    is_to_date: bool
    unbalanced: str
    accounts: tuple[AccountRow, ...]
    waiting: int
    left_out: tuple[str, ...]
    choices: tuple[str, ...]
    notices: tuple[str, ...]
    ages: tuple[AgesRow, ...]
    fault: str
    seal_name: str
    can_close: bool


@dataclass(frozen=True, kw_only=True)
class ActualsPage:
    """The whole page; ``books`` is None where none were pasted, ``rows`` where there is nothing to reconcile."""

    months: tuple[MonthEntry, ...]
    month: Month | None
    is_next: bool
    takes_books: bool
    correct_url: str
    is_latest: bool
    books: BooksShown | None
    balances: tuple[ExplainedRow, ...]
    income: tuple[ExplainedRow, ...]
    sentences: tuple[str, ...]
    variances: tuple[VarianceRow, ...]
    against: str
    againsts: tuple[tuple[str, str, bool], ...]
    template_url: str

    @property
    def filled(self) -> str:
        """How many rows the plan fills, in a sentence; empty where there is none."""
        parts = [row for row in self.variances if row.emphasis == "part"]
        count = sum(row.parts == (AS_PLANNED,) for row in parts)
        if not count:
            return ""
        verb = "is" if count == 1 else "are"
        return f"{count} of {len(parts)} rows {verb} filled from the plan: the books said nothing of them."

    @property
    def has_year_before(self) -> bool:
        """Whether anything is known of the same month a year before."""
        return any(row.last_year for row in self.variances)


def build(
    view: View, asked: str, against: str, books: Books | None, matches: Mapping[str, Match], corrects: bool = False
) -> ActualsPage:
    """Return the page with a month open: the one asked for, or the next to close.

    ``corrects`` opens a month closed for other books.
    """
    timeline = view.snapshot.model.timeline
    following = timeline.first_plan if timeline.first_plan <= timeline.end else None
    month = following if not asked else Month.parse(asked)
    if month is not None and not (timeline.is_actual(month) and month >= timeline.start):
        month = following or timeline.last_actual
    months = _months(view, following, month)
    if month is None:
        return _empty(months)
    is_next = month == following
    takes_books = is_next or corrects
    sheet = Sheet.of_document(books.document) if takes_books and books is not None and books.month == month else None
    closed = on_trial(view.snapshot, month, sheet, matches) if sheet is not None else None
    actual = _actual(view, month, closed)
    seals = tuple(seal for seal in workspace().seals.of(view.address.model_id))
    planned, against, againsts = _planned(view, month, is_next, seals, against)
    notes = _notes(view, month, closed)
    reconciled = closed.reconciled if closed is not None else _reconciled(view, month, is_next)
    return ActualsPage(
        months=months,
        month=month,
        is_next=is_next,
        takes_books=takes_books,
        correct_url=view.address.url(close=month, correct="yes"),
        is_latest=month == timeline.last_actual,
        books=_books(view, closed, sheet) if closed is not None and sheet is not None else None,
        balances=tuple(_explained(view, row) for row in reconciled.balances) if reconciled else (),
        income=tuple(_explained(view, row) for row in reconciled.income) if reconciled else (),
        sentences=_sentences(view, closed, reconciled),
        variances=variance_rows(actual, planned, month, notes) if actual is not None else (),
        against=against,
        againsts=againsts,
        template_url=view.address.url("actuals/template.csv", close=month),
    )


def _empty(months: tuple[MonthEntry, ...]) -> ActualsPage:
    return ActualsPage(
        months=months,
        month=None,
        is_next=False,
        takes_books=False,
        correct_url="",
        is_latest=False,
        books=None,
        balances=(),
        income=(),
        sentences=(),
        variances=(),
        against="",
        againsts=(),
        template_url="",
    )


def _months(view: View, following: Month | None, opened: Month | None) -> tuple[MonthEntry, ...]:
    model, results = view.snapshot.model, view.snapshot.results
    timeline = model.timeline
    closed = {closing.month for closing in model.closings}
    entries = []
    if following is not None:
        url = view.address.url(close=None)
        entries.append(
            MonthEntry(label=following.label, words="next to close", url=url, is_open=following == opened, is_next=True)
        )
    for month in reversed(timeline.months[: timeline.actual_count]):
        words = "actual, without books"
        if month in closed:
            open_amount = unexplained_of(results, month)
            words = "closed, all explained"
            if open_amount > TOLERATED:
                words = f"closed, {formats.amount(open_amount, model.currency)} unexplained"
        entries.append(
            MonthEntry(
                label=month.label,
                words=words,
                url=view.address.url(close=month),
                is_open=month == opened,
                is_next=False,
            )
        )
    return tuple(entries)


def _actual(view: View, month: Month, closed: Closed | None) -> Results | None:
    """Results in which the month is actual, the root case first; None before there are any."""
    if closed is not None:
        return closed.results
    return _root(view.snapshot) if view.snapshot.model.timeline.is_actual(month) else None


def _root(snapshot: Snapshot) -> Results:
    changes = snapshot.model.changes_of(snapshot.case_names[0])
    return snapshot.kept("root", lambda: evaluate(snapshot.plan, [changes]))


def _reconciled(view: View, month: Month, is_next: bool) -> Reconciled | None:
    is_closed = any(closing.month == month for closing in view.snapshot.model.closings)
    return reconcile(_root(view.snapshot), month) if is_closed and not is_next else None


def _planned(
    view: View, month: Month, is_next: bool, seals: tuple[Seal, ...], asked: str
) -> tuple[Results | None, str, tuple[tuple[str, str, bool], ...]]:
    """The plan a month is compared with: a seal in which it was plan, or before closing the plan as it stands."""
    model_id = view.address.model_id
    fitting = [seal for seal in seals if _was_plan(workspace().sealed(model_id, seal.id), month)]
    names = {str(seal.id): seal.name for seal in fitting}
    if is_next:
        names["now"] = "the plan as it stands"
    chosen = asked if asked in names else next(iter(names), "")
    againsts = tuple((name, label, name == chosen) for name, label in names.items())
    if not chosen:
        return None, "", ()
    snapshot = view.snapshot if chosen == "now" else workspace().sealed(model_id, int(chosen))
    return _root(snapshot), names[chosen], againsts


def _was_plan(sealed: Snapshot, month: Month) -> bool:
    timeline = sealed.stored.model.timeline
    return timeline.start <= month <= timeline.end and not timeline.is_actual(month)


def _notes(view: View, month: Month, closed: Closed | None) -> Mapping[str, str]:
    if closed is not None:
        return closed.closing.notes
    return next((one.notes for one in view.snapshot.model.closings if one.month == month), {})


def _books(view: View, closed: Closed, sheet: Sheet) -> BooksShown:
    waiting = len(closed.open_accounts)
    faults = [ages.fault for ages in closed.ages if ages.fault]
    return BooksShown(
        columns=sheet.columns,
        name_column=sheet.name_column,
        amount_column=sheet.amount_column,
        credit_column=sheet.credit_column,
        is_to_date=sheet.is_to_date,
        unbalanced=unbalanced_words(closed, view.snapshot.model.currency),
        accounts=tuple(_account(closed, account) for account in closed.accounts),
        waiting=waiting,
        left_out=sheet.left_out,
        choices=(LEFT_OUT, *(place.label for place in places(view.snapshot))),
        notices=_notices(closed),
        ages=tuple(_ages_row(ages) for ages in closed.ages),
        fault=closed.fault,
        seal_name="" if view.snapshot.model.timeline.is_actual(closed.month) else f"{closed.month.label} closed",
        can_close=not waiting and not closed.fault and not faults,
    )


def unbalanced_words(closed: Closed, unit: str) -> str:
    """Return by how much the books do not balance by themselves; empty where they do or cannot be checked."""
    gap = closed.taken.difference
    if gap is None or abs(gap) <= TOLERATED:
        return ""
    shown = formats.plain_number(abs(gap), 2)
    if closed.is_trial_balance:
        more = "debits" if gap > 0 else "credits"
        return f"The books do not balance by themselves: {shown} {unit} more {more}. An account may be missing."
    more = "more" if gap > 0 else "less"
    return (
        f"The books do not balance by themselves: assets are {shown} {unit} {more} than what is owed and equity. "
        "An account may be missing, or read on the wrong side."
    )


def _account(closed: Closed, account: Account) -> AccountRow:
    taken = closed.taken.amount(account.entry)
    is_turned = taken != account.entry.amount
    return AccountRow(
        name=account.name,
        amount=formats.plain_number(account.entry.amount, 2),
        taken=formats.plain_number(taken, 2) if is_turned else "",
        typed=account.typed,
        how=account.how,
        fault=account.fault,
    )


def _notices(closed: Closed) -> tuple[str, ...]:
    said = []
    if closed.taken.turned:
        sides = ", ".join(nature.value for nature in Nature if nature in closed.taken.turned)
        said.append(f"Written with a minus in the books, taken without: {sides}.")
    if closed.taken.shrunk:
        said.append(
            f"Less than what the fiscal year's earlier months come to: {', '.join(closed.taken.shrunk)}. If the books "
            "have amounts of the month alone, say so above."
        )
    if closed.taken.shared:
        said.append(f"Shared out as the plan has their parts: {', '.join(closed.taken.shared)}.")
    return tuple(said)


def _ages_row(ages: Ages) -> AgesRow:
    count = len(ages.amounts)
    fields = []
    for place, amount in enumerate(ages.amounts):
        age = count - 1 - place
        label = _AGES[age] if age < len(_AGES) else f"{age} months ago"
        typed = formats.written_out(round(amount, 2)) if amount else ""
        fields.append((label, f"age:{ages.schedule}:{age}", typed))
    return AgesRow(
        label=ages.label, schedule=ages.schedule, fields=tuple(fields), is_given=ages.is_given, fault=ages.fault
    )


def _explained(view: View, row: Explained) -> ExplainedRow:
    unit = view.snapshot.model.currency
    is_open = abs(row.unexplained) > TOLERATED
    known = row.line in view.snapshot.model.line_by_name
    return ExplainedRow(
        label=row.label,
        opening=formats.cell(row.opening, unit),
        moved=formats.signed(row.moved, unit).replace("same", formats.DASH),
        expected=formats.cell(row.opening + row.moved, unit),
        closing=formats.cell(row.closing, unit),
        unexplained=formats.signed(row.unexplained, unit) if is_open else "",
        url=view.address.url("roots", line=row.line) if known else "",
    )


def _sentences(view: View, closed: Closed | None, reconciled: Reconciled | None) -> tuple[str, ...]:
    """What ties and what does not, each as a sentence."""
    if reconciled is None:
        return ()
    unit = view.snapshot.model.currency

    def said(amount: float) -> str:
        return f"{formats.amount(amount, unit)} {unit}"

    told = []
    taken = closed.taken if closed is not None else None
    if taken is not None and taken.equity is not None:
        verdict = unbalanced_words(closed, unit) if closed is not None else ""
        told.append(verdict or f"The books balance: assets {said(taken.assets)}, owed {said(taken.owed)}.")
        apart = taken.equity - reconciled.equity
        if abs(apart) > TOLERATED:
            told.append(
                f"Equity is {said(taken.equity)} in the books and {said(reconciled.equity)} here: {said(apart)} apart, "
                "by balances or profit the books were not asked for."
            )
    told.append(f"Profit of the month: {said(reconciled.profit)}.")
    if abs(reconciled.unexplained) > TOLERATED:
        told.append(
            f"{said(reconciled.unexplained)} of cash is explained by nothing given; it stands in equity under its name."
        )
    opened = [row for row in (*reconciled.balances, *reconciled.income) if abs(row.unexplained) > TOLERATED]
    if opened:
        verb = "is" if len(opened) == 1 else "are"
        whole = len(reconciled.balances) + len(reconciled.income)
        told.append(f"{len(opened)} of {whole} {verb} not fully explained.")
    elif reconciled.balances or reconciled.income:
        told.append("Everything given is explained.")
    return tuple(told)
