"""What books say of a model's lines: signs turned to their natural sense, accounts added up, wholes shared out."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.month_close.places import Nature, Place
from widefork.core.axes import Month
from widefork.core.graph.calculate import Results
from widefork.core.lines import MemberKey, OverMembers

_SIGNED = (Nature.INCOME, Nature.COST, Nature.OWED)
"""Sides that books may write with a minus throughout. Assets they never do: cash below zero is an overdraft."""


@dataclass(frozen=True)
class Entry:
    """An account with its amount as the books have it, and where it goes; None for nowhere."""

    account: str
    amount: float
    place: Place | None


@dataclass(frozen=True)
class Taken:
    """What the books say, positive in the natural sense.

    Parameters
    ----------
    figures : by generated line or caption. own : by line of the user's own and member.
    turned : sides that were written with a minus and are taken without.
    assets, owed, equity : totals of the books' balance sheet; equity is None where no account of it was given.
    shared : labels of places whose figure was shared out as the plan has its parts.
    profit : income less costs as the books have them, before earlier months are taken off.
    shrunk : labels of places that were given as of the year so far, and are less than the year's earlier months.
    difference : what the books themselves leave over, 0 where they balance; None where they cannot be checked.
    """

    figures: Mapping[str, float]
    own: Mapping[tuple[str, MemberKey], float]
    turned: frozenset[Nature]
    assets: float
    owed: float
    equity: float | None
    shared: tuple[str, ...]
    profit: float = 0.0
    difference: float | None = None
    shrunk: tuple[str, ...] = ()

    @property
    def has_balances(self) -> bool:
        """Whether any balance was given."""
        return bool(self.assets or self.owed)

    def amount(self, entry: Entry) -> float:
        """Return an entry's amount in its natural sense."""
        is_turned = entry.place is not None and entry.place.nature in self.turned
        return -entry.amount if is_turned else entry.amount


def take_books(
    entries: Iterable[Entry], results: Results, month: Month, is_signed: bool = False, is_to_date: bool = False
) -> Taken:
    """Return what accounts say.

    A side whose total is negative was written with a minus throughout (credits, or costs in a report) and is turned;
    a single credit note among sales stays negative.

    Parameters
    ----------
    results : of the plan before the month is closed; its first change list shares wholes out to their parts.
    is_signed : debits less credits, so that what is earned, owed and equity have a minus, and all adds to 0.
    is_to_date : income and costs are those of the fiscal year so far; its earlier months are taken off.
    """
    given = list(entries)
    known = [(entry, entry.place) for entry in given if entry.place is not None]
    sums = {nature: float(sum(e.amount for e, place in known if place.nature is nature)) for nature in Nature}
    turned = frozenset(nature for nature in _SIGNED if sums[nature] < 0)
    if is_signed:
        turned = frozenset((Nature.INCOME, Nature.OWED))
    totals: dict[Place, float] = {}
    for entry, place in known:
        totals[place] = totals.get(place, 0.0) + (-entry.amount if place.nature in turned else entry.amount)
    shrunk: tuple[str, ...] = ()
    if is_to_date:
        so_far, totals = totals, {place: a - _earlier(place, results, month) for place, a in totals.items()}
        shrunk = tuple(place.label for place, amount in totals.items() if amount < 0 <= so_far[place])
    assets, owed = sums[Nature.ASSET], -sums[Nature.OWED] if is_signed else abs(sums[Nature.OWED])
    has_equity = any(place.nature is Nature.EQUITY for _, place in known)
    equity = _equity(sums[Nature.EQUITY], assets - owed, is_signed) if has_equity else None
    profit = sum(
        sign * (-sums[nature] if nature in turned else sums[nature])
        for nature, sign in ((Nature.INCOME, 1), (Nature.COST, -1))
    )
    difference: float | None = sum(entry.amount for entry in given) if is_signed else None
    if equity is not None and (assets or owed) and not is_signed:
        # Equity may be given with the profit of the year in it or, as before the year is closed, without.
        gap = assets - owed - equity
        difference = gap if abs(gap) < abs(gap - profit) else gap - profit
    figures, own, shared = _by_line(totals, results, month)
    return Taken(figures, own, turned, assets, owed, equity, shared, profit, difference, shrunk)


def _equity(given: float, net: float, is_signed: bool) -> float:
    """Equity in its natural sense; credits may be written with a minus, so the sign that is nearer to balancing."""
    return -given if is_signed else min((given, -given), key=lambda amount: abs(net - amount))


def _by_line(
    totals: Mapping[Place, float], results: Results, month: Month
) -> tuple[dict[str, float], dict[tuple[str, MemberKey], float], tuple[str, ...]]:
    """What places come to, by generated line or caption and by line of the user's own; and what was shared out."""
    figures: dict[str, float] = {}
    own: dict[tuple[str, MemberKey], float] = {}
    shared: list[str] = []
    at = results.plan.model.timeline.index(month)
    for place, amount in totals.items():
        if place.nature is Nature.EQUITY:
            continue
        line = results.plan.model.line_by_name.get(place.name)
        if len(place.parts) > 1:
            shared.append(place.label)
            weights = [float(results.series(part)[at]) for part in place.parts]
            figures.update(zip(place.parts, _shared_out(amount, weights), strict=True))
        elif place.parts:
            figures[place.parts[0]] = amount
        elif line is None or line.is_generated:
            figures[place.name] = amount
        elif line.dimensions and not place.members and line.rollup.over_members is OverMembers.SUM:
            keys = results.plan.model.keys_of(line)
            shared.append(place.label)
            weights = [float(results.series(line.name, key)[at]) for key in keys]
            own.update(((line.name, key), part) for key, part in zip(keys, _shared_out(amount, weights), strict=True))
        else:
            own[(line.name, place.members)] = amount
    return figures, own, tuple(shared)


def _earlier(place: Place, results: Results, month: Month) -> float:
    """What the fiscal year's months before this one come to, of income and costs; 0 for all else."""
    model = results.plan.model
    line = model.line_by_name.get(place.name)
    if place.nature not in (Nature.INCOME, Nature.COST) or line is None:
        return 0.0
    timeline = model.timeline
    at = timeline.index(month)
    begin = max(0, at - (timeline.fiscal_month(month) - 1))
    values = (
        results.series(line.name, place.members)
        if place.members or not line.dimensions
        else np.sum(results.values(line.name)[..., 0], axis=tuple(range(len(line.dimensions))))
    )
    return float(np.sum(values[begin:at]))


def _shared_out(amount: float, weights: Sequence[float]) -> list[float]:
    """An amount in parts as the plan has them, or all in the first where the plan has none."""
    sizes = np.maximum(0.0, np.nan_to_num(weights))
    if not sizes.sum():
        return [amount, *[0.0] * (len(sizes) - 1)]
    return [float(part) for part in amount * sizes / sizes.sum()]


def ages_of(balance: float, invoices: Sequence[float]) -> tuple[float, ...]:
    """Return a balance by age, latest last, where nobody says: of the newest invoices first (common practice).

    Parameters
    ----------
    invoices : of the months up to the one closed, latest last.
    """
    left, ages = max(0.0, balance), []
    for amount in reversed(invoices):
        part = min(left, max(0.0, amount))
        ages.append(part)
        left -= part
        if left <= 0:
            break
    if left > 0 and ages:
        ages.append(left)  # more than all that was invoiced: the rest is older
    return tuple(reversed(ages)) or (max(0.0, balance),)
