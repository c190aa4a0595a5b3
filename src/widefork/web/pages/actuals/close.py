"""A month on its way to being closed: the books as read, placed in the model, closed on trial and reconciled."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from hashlib import sha256

from widefork.core.analysis.month_close import (
    Entry,
    Nature,
    Place,
    Reconciled,
    Taken,
    ages_of,
    guess,
    places_of,
    reconcile,
    take_books,
    trial_plan,
)
from widefork.core.axes import Month
from widefork.core.closing import Closing
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue, WideforkError
from widefork.core.graph.calculate import Results
from widefork.store.books import Match
from widefork.web.pages.actuals.sheet import Sheet
from widefork.web.shared.blocks import decimal_mark, read_pasted
from widefork.web.shared.workspace import Snapshot

LEFT_OUT = "leave out"
TOLERATED = 0.5
"""In currency; a model in whole units has differences of cents everywhere."""
_TRADE = ("receivables", "payables")
_FEWEST_AGES = 4


@dataclass(frozen=True, kw_only=True)
class Account:
    """An account and where it goes.

    Parameters
    ----------
    typed : what stands in its field. how : “as last month”, “by its name”, or empty. fault : what is wrong with it.
    """

    name: str
    entry: Entry
    typed: str
    how: str = ""
    fault: str = ""


@dataclass(frozen=True, kw_only=True)
class Ages:
    """What is open by age of a balance of receivables or payables, latest last; ``is_given``: the person said so."""

    schedule: str
    label: str
    balance: float
    amounts: tuple[float, ...]
    is_given: bool
    fault: str = ""


@dataclass(frozen=True, kw_only=True)
class Closed:
    """A month closed on trial.

    Parameters
    ----------
    results : of the plan as it would be, the root case alone. fault : why it cannot be closed so; then all else of it
        is empty.
    """

    month: Month
    accounts: tuple[Account, ...]
    taken: Taken
    ages: tuple[Ages, ...]
    closing: Closing
    results: Results | None
    reconciled: Reconciled | None
    is_trial_balance: bool = False
    fault: str = ""

    @property
    def is_unbalanced(self) -> bool:
        """Whether the books leave a difference by themselves."""
        return self.taken.difference is not None and abs(self.taken.difference) > TOLERATED

    @property
    def open_accounts(self) -> tuple[Account, ...]:
        """Accounts that are not placed yet."""
        return tuple(account for account in self.accounts if account.fault or not account.typed)


def on_trial(snapshot: Snapshot, month: Month, sheet: Sheet, remembered: Mapping[str, Match]) -> Closed:
    """Return the month closed on trial by these books; worked out once for the same books."""
    mark = sha256(repr((month, sheet, sorted(remembered.items()))).encode()).hexdigest()
    return snapshot.kept(f"close:{mark}", lambda: _on_trial(snapshot, month, sheet, remembered))


def places(snapshot: Snapshot) -> tuple[Place, ...]:
    """Return where accounts may go in a model."""
    return snapshot.kept("places", lambda: places_of(snapshot.plan))


def _on_trial(snapshot: Snapshot, month: Month, sheet: Sheet, remembered: Mapping[str, Match]) -> Closed:
    known = places(snapshot)
    accounts = tuple(_account(name, amount, sheet, known, remembered) for name, amount in sheet.amounts.items())
    results = evaluate(snapshot.plan, [snapshot.model.changes_of(snapshot.case_names[0])])
    entries = [account.entry for account in accounts]
    taken = take_books(entries, results, month, is_signed=sheet.is_trial_balance, is_to_date=sheet.is_to_date)
    notes = {line: note for line, note in sheet.notes.items() if note}
    closing = Closing(month, taken.figures, {}, notes)
    known_before = next((one for one in snapshot.model.closings if one.month == month), None)
    if known_before is not None and snapshot.model.timeline.is_actual(month):  # a correction: what it leaves out stays
        closing = Closing(
            month, {**known_before.figures, **taken.figures}, known_before.ages, {**known_before.notes, **notes}
        )
    ages: tuple[Ages, ...] = ()
    try:
        trial = _closed_with(snapshot, closing, taken)
        ages = _ages(snapshot, month, sheet, taken, trial)  # of the invoices there really were
        given = {one.schedule: one.amounts for one in ages if not one.fault}
        if given:
            closing = replace(closing, ages={**closing.ages, **given})
            trial = _closed_with(snapshot, closing, taken)
    except WideforkError as fault:
        sentence = str(getattr(fault, "sentence", fault))
        return Closed(
            month=month,
            accounts=accounts,
            taken=taken,
            ages=ages,
            closing=closing,
            results=None,
            reconciled=None,
            is_trial_balance=sheet.is_trial_balance,
            fault=sentence,
        )
    return Closed(
        month=month,
        accounts=accounts,
        taken=taken,
        ages=ages,
        closing=closing,
        results=trial,
        reconciled=reconcile(trial, month),
        is_trial_balance=sheet.is_trial_balance,
    )


def _closed_with(snapshot: Snapshot, closing: Closing, taken: Taken) -> Results:
    plan = trial_plan(snapshot.stored.model, closing, taken.own)
    return evaluate(plan, [plan.model.changes_of(snapshot.case_names[0])])


def _account(
    name: str, amount: float, sheet: Sheet, known: tuple[Place, ...], remembered: Mapping[str, Match]
) -> Account:
    typed = sheet.placed.get(name)
    if typed is not None:
        return placed(name, amount, typed, known)
    if name in remembered:
        line, member = remembered[name]
        if not line and not member:
            return Account(name=name, entry=Entry(name, amount, None), typed=LEFT_OUT, how="as last time")
        found = next((p for p in known if p.name == line and "/".join(p.members) == member.lstrip("=")), None)
        if found is not None:
            return Account(name=name, entry=Entry(name, amount, found), typed=found.label, how="as last time")
    proposed = guess(name, known)
    if proposed is None:
        return Account(name=name, entry=Entry(name, amount, None), typed="")
    return Account(name=name, entry=Entry(name, amount, proposed), typed=proposed.label, how="by its name")


def placed(name: str, amount: float, typed: str, known: tuple[Place, ...]) -> Account:
    """Return an account placed where a person typed; with the fault, where that is no place."""
    wanted = " ".join(typed.split())
    nowhere = Entry(name, amount, None)
    if not wanted or wanted.lower() == LEFT_OUT:
        return Account(name=name, entry=nowhere, typed=wanted.lower())
    found = next((place for place in known if place.label.lower() == wanted.lower()), None)
    if found is not None:
        return Account(name=name, entry=Entry(name, amount, found), typed=found.label)
    near = guess(wanted, known)
    hint = f" Did you mean {near.label}?" if near is not None else " Choose one from the list."
    return Account(name=name, entry=nowhere, typed=wanted, how="", fault=f"“{wanted}” is no place of this model.{hint}")


def match_of(account: Account) -> Match:
    """Return what is to be remembered of an account; equity has no line, and so a mark of its own."""
    place = account.entry.place
    if place is None:
        return ("", "")
    return (place.name, "/".join(place.members) or ("=" if place.nature is Nature.EQUITY else ""))


def _ages(snapshot: Snapshot, month: Month, sheet: Sheet, taken: Taken, results: Results) -> tuple[Ages, ...]:
    model = snapshot.model
    upto = model.timeline.index(month) + 1
    found = []
    for given in model.schedules:
        balance = taken.figures.get(f"{given.name}_balance")
        if given.kind not in _TRADE or balance is None:
            continue
        typed = sheet.ages.get(given.name, "")
        if typed.strip():
            found.append(_typed_ages(given.name, given.label, balance, typed))
            continue
        invoiced = f"{given.name}_invoiced"
        invoices = [*model.line(invoiced).history, *results.series(invoiced)[:upto].tolist()]
        amounts = ages_of(balance, invoices)
        padded = (*[0.0] * (_FEWEST_AGES - len(amounts)), *amounts)
        found.append(Ages(schedule=given.name, label=given.label, balance=balance, amounts=padded, is_given=False))
    return tuple(found)


def _typed_ages(schedule: str, label: str, balance: float, typed: str) -> Ages:
    parts = [part.strip() for part in typed.split(";")]
    try:
        mark = decimal_mark(tuple((part,) for part in parts))
        amounts = tuple(read_pasted(part, "", mark) or 0.0 for part in parts)
    except InvalidValue as fault:
        return Ages(
            schedule=schedule,
            label=label,
            balance=balance,
            amounts=(),
            is_given=True,
            fault=str(getattr(fault, "sentence", fault)),
        )
    total = sum(amounts)
    wrong = ""
    if min(amounts) < 0:
        wrong = "What is open cannot be below 0."
    elif abs(total - balance) > 0.5:
        wrong = f"The ages add to {total:,.2f}; the books have {balance:,.2f} open."
    return Ages(schedule=schedule, label=label, balance=balance, amounts=amounts, is_given=True, fault=wrong)
