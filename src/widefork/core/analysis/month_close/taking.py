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
    """

    figures: Mapping[str, float]
    own: Mapping[tuple[str, MemberKey], float]
    turned: frozenset[Nature]
    assets: float
    owed: float
    equity: float | None
    shared: tuple[str, ...]

    @property
    def has_balances(self) -> bool:
        """Whether any balance was given."""
        return bool(self.assets or self.owed)

    def amount(self, entry: Entry) -> float:
        """Return an entry's amount in its natural sense."""
        is_turned = entry.place is not None and entry.place.nature in self.turned
        return -entry.amount if is_turned else entry.amount


def take_books(entries: Iterable[Entry], results: Results, month: Month) -> Taken:
    """Return what accounts say.

    A side whose total is negative was written with a minus throughout (credits, or costs in a report) and is turned;
    a single credit note among sales stays negative.

    Parameters
    ----------
    results : of the plan before the month is closed; its first change list shares wholes out to their parts.
    """
    known = [(entry, entry.place) for entry in entries if entry.place is not None]
    sums = {nature: sum(e.amount for e, place in known if place.nature is nature) for nature in Nature}
    turned = frozenset(nature for nature in _SIGNED if sums[nature] < 0)
    totals: dict[Place, float] = {}
    for entry, place in known:
        totals[place] = totals.get(place, 0.0) + (-entry.amount if place.nature in turned else entry.amount)
    assets, owed = sums[Nature.ASSET], abs(sums[Nature.OWED])
    equity = None
    if any(place.nature is Nature.EQUITY for _, place in known):
        given = sums[Nature.EQUITY]
        # Credits may be written with a minus: the sign that is nearer to balancing.
        equity = min((given, -given), key=lambda amount: abs(assets - owed - amount))
    figures: dict[str, float] = {}
    own: dict[tuple[str, MemberKey], float] = {}
    shared = []
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
    return Taken(figures, own, turned, assets, owed, equity, tuple(shared))


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
