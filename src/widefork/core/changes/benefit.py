"""What a move brings to a line, such as revenue, a cost or heads: an amount a month, ramped, spread over members.

It is nothing but changes that add, one for each member, so that a move switched on nowhere changes nothing.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from widefork.core.axes import Month
from widefork.core.changes.change import Change, Operation
from widefork.core.changes.course import ByRule
from widefork.core.errors import InvalidValue
from widefork.core.rules.points import Points

NEARLY = 1e-9
"""Of the whole: shares that add to it within this do so."""


@dataclass(frozen=True)
class Benefit:
    """An amount added to a line.

    Parameters
    ----------
    amount : each month once ramped, of all members together, in the line's unit; below 0 where it takes.
    first, last : inclusive; None is open.
    ramp_months : it grows in equal steps to the amount of its last ramp month; 0 or 1 for at once.
    dimension, shares : which member gets how much of it, adding to 1; none for a line that is not spread.
    """

    line: str
    amount: float
    first: Month
    last: Month | None = None
    ramp_months: int = 0
    dimension: str = ""
    shares: Mapping[str, float] = field(default_factory=dict)

    def has(self, change: Change) -> bool:
        """Return whether a change is part of what is brought: the same line, months and ramp."""
        return _key_of(change) == (self.line, self.first, self.last, self.ramp_months)

    @property
    def is_once(self) -> bool:
        """Whether it happens in one month only."""
        return self.last == self.first

    def changes(self, note: str = "") -> tuple[Change, ...]:
        """Return the changes it is, one for each member with a share."""
        if not self.shares:
            return (self._change((), 1.0, note),)
        parts = [(((self.dimension, member),), share) for member, share in self.shares.items() if share]
        return tuple(self._change(members, share, note) for members, share in parts)

    def _change(self, members: tuple[tuple[str, str], ...], share: float, note: str) -> Change:
        amount, course = self.amount * share, None
        if self.ramp_months > 1:
            full = self.first.plus(self.ramp_months - 1)
            course = ByRule(Points(((self.first, amount / self.ramp_months), (full, amount))), self.first)
        return Change(self.line, Operation.ADD, amount, members, self.first, self.last, note, name="", course=course)


def benefits_of(changes: Sequence[Change]) -> tuple[Benefit, ...]:
    """Return what changes bring: those that add to one member or to all, each line, span and ramp taken together."""
    found: dict[tuple[str, Month, Month | None, int], dict[tuple[str, str], float]] = {}
    for change in changes:
        key = _key_of(change)
        if key is not None:
            parts = found.setdefault(key, {})
            member = change.members[0] if change.members else ("", "")
            parts[member] = parts.get(member, 0.0) + change.amount
    return tuple(_benefit(*key, parts) for key, parts in found.items() if len({name for name, _ in parts}) == 1)


def _key_of(change: Change) -> tuple[str, Month, Month | None, int] | None:
    """Line, first and last month and ramp of a change that brings something; None for any other."""
    ramp = _ramp_of(change)
    if change.operation is not Operation.ADD or change.first is None or ramp is None or len(change.members) > 1:
        return None
    return change.line, change.first, change.last, ramp


def _benefit(line: str, first: Month, last: Month | None, ramp: int, parts: Mapping[tuple[str, str], float]) -> Benefit:
    total = sum(parts.values())
    dimension = next(iter(parts))[0]
    shares = {member: amount / total if total else 1 / len(parts) for (_, member), amount in parts.items()}
    return Benefit(line, total, first, last, ramp, dimension, shares if dimension else {})


def _ramp_of(change: Change) -> int | None:
    """Over how many months a change ramps, 0 for at once; None where it runs otherwise."""
    if change.course is None:
        return 0
    if not isinstance(change.course, ByRule) or not isinstance(change.course.rule, Points):
        return None
    points = change.course.rule.points
    if len(points) != 2 or points[0][0] != change.course.since:
        return None
    months = points[1][0].ordinal - points[0][0].ordinal + 1
    full = points[1][1]
    is_ours = abs(points[0][1] * months - full) <= NEARLY * abs(full) and full == change.amount
    return months if is_ours else None


def spread(present: Mapping[str, float], held: Mapping[str, float]) -> dict[str, float]:
    """Return shares over members: those held as given, and what is left by what the others are now.

    Parameters
    ----------
    present : by member, what the line is without it; where that adds to nothing, the others share evenly.
    held : by member, a share from 0 to 1.

    Raises
    ------
    InvalidValue: a share outside 0 to 1, more than the whole held, or all held and not the whole.
    """
    for member, share in held.items():
        if not 0 <= share <= 1 + NEARLY:
            raise InvalidValue(f"A share lies between 0 and 100 %; {share * 100:g} % was given for {member}.")
    total = sum(held.values())
    rest = {member: max(0.0, amount) for member, amount in present.items() if member not in held}
    if total > 1 + NEARLY or (not rest and abs(total - 1) > NEARLY):
        wanted = "at most 100 %" if rest else "100 %"
        raise InvalidValue(f"The shares given add to {total * 100:g} %; they need to add to {wanted}.")
    size, left = sum(rest.values()), max(0.0, 1 - total)
    spread_out = {m: left * (amount / size if size else 1 / len(rest)) for m, amount in rest.items()}
    return {member: held.get(member, spread_out.get(member, 0.0)) for member in present}
