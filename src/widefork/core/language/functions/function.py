"""What a formula function is: its entry in the registry, and how it sees earlier months."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]
"""Shape (members of each dimension or 1..., months of the window, batch or 1)."""

MONTH_AXIS = -2
NEARLY = 1e-9
"""What a sum of products may be off by before it is rounded: 2.4999999999 is 2.5."""
TINY, FAR = 1e-12, 1e15
"""A flow that is none, to divide by; and a wait longer than any other."""


class Kind(StrEnum):
    """What a function works on."""

    ELEMENTWISE = "each value by itself"
    MEMBERS = "members of a dimension"
    MAPPING = "members of a dimension that belong to members of another"
    TIME = "a line's months up to this one"


class Second(StrEnum):
    """What a function over time takes beside the line it looks back on."""

    NOTHING = "nothing"
    MONTHS = "a written whole number of months"
    PROFILE = "the name of a profile"
    VALUE = "a value"


class UnitRule(StrEnum):
    """What a function does to units."""

    FIRST = "that of its first argument"
    ALIKE = "that of its arguments, which must be alike"
    PLAIN = "none"
    NUMBER = "none, and its argument has none either"


@dataclass(frozen=True)
class Past:
    """A line's months so far, as a function over time reads them.

    Parameters
    ----------
    values : shape (members..., months, batch). Only months before the window's end are computed yet.
    history : shape (members..., months before the start, 1), latest last.
    opening : shape (members..., 1, 1). Stands in all months before the start that history does not reach.
    fiscal_months : int array, shape (months,). 1 = first month of the fiscal year.
    """

    values: Values
    history: Values
    opening: Values
    fiscal_months: NDArray[np.int64]

    def months(self, first: int, stop: int, with_opening: bool = False) -> Values:
        """Return months ``first`` to ``stop`` (exclusive); negative places lie before the first month.

        Months that neither history nor (where asked for) the opening value covers are 0.
        """
        inside = self.values[..., max(first, 0) : max(stop, 0), :]
        if first >= 0:
            return inside
        before = self._before(first, min(stop, 0), with_opening)
        lead = np.broadcast_shapes(before.shape[:-2], inside.shape[:-2])
        width = max(before.shape[-1], inside.shape[-1])
        return np.concatenate(
            [np.broadcast_to(p, (*lead, p.shape[-2], width)) for p in (before, inside)], axis=MONTH_AXIS
        )

    def _before(self, first: int, stop: int, with_opening: bool) -> Values:
        known = self.history.shape[MONTH_AXIS]
        fill = self.opening if with_opening else np.zeros_like(self.opening)
        missing = max(0, min(stop, -known) - first)
        padding = np.repeat(fill, missing, axis=MONTH_AXIS)
        kept = self.history[..., max(0, known + first) : max(0, known + stop), :]
        lead = np.broadcast_shapes(padding.shape[:-2], kept.shape[:-2])
        return np.concatenate([np.broadcast_to(p, (*lead, *p.shape[-2:])) for p in (padding, kept)], axis=MONTH_AXIS)


@dataclass(frozen=True)
class Function:
    """A formula function's entry in the registry.

    Parameters
    ----------
    name : str. As written in formulas.
    arguments : tuple of str. Names for help; those ending in ``?`` may be left out, ``…`` may repeat.
    summary : str. One sentence for help.
    example : str. A formula that uses it.
    kind : Kind. Decides what ``evaluate`` is given:
        elementwise (array, ...); members (array, axes); time (Past, window, array or profile, ...);
        mapping (array, axis of the members, axis they belong to, place in it of each member, its length).
    evaluate : the computation.
    keeps_members : bool. A function over members gives each of them a value, not one for all.
    second : Second. What a function over time takes beside its line.
    unit_rule : UnitRule. The unit of the result.
    sees_past : bool. A function over members that goes by the months so far: it is given all of them, and gives all.
    adds_up : bool. Over time or members: the result is the sum of what each month or member alone would give.
    """

    name: str
    arguments: tuple[str, ...]
    summary: str
    example: str
    kind: Kind
    evaluate: Callable[..., Values]
    keeps_members: bool = False
    second: Second = Second.NOTHING
    unit_rule: UnitRule = UnitRule.FIRST
    adds_up: bool = False
    sees_past: bool = False

    @property
    def takes_values_only(self) -> bool:
        """Whether every argument is a value, and none a dimension or profile."""
        return self.kind not in (Kind.MEMBERS, Kind.MAPPING) and self.second is not Second.PROFILE

    @property
    def fewest(self) -> int:
        """The least number of arguments."""
        return sum(not argument.endswith(("?", "…")) for argument in self.arguments)

    @property
    def most(self) -> int:
        """The greatest number of arguments."""
        return 99 if any(argument.endswith("…") for argument in self.arguments) else len(self.arguments)

    @property
    def usage(self) -> str:
        """The call as help shows it: ``before(line, months?)``."""
        return f"{self.name}({', '.join(self.arguments)})"
