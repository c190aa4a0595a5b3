"""A program: a compiled model as rows and instructions. It depends on a model's structure, not on its numbers."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from math import prod

import numpy as np
from numpy.typing import NDArray

Whole = NDArray[np.int64]
Values = NDArray[np.float64]

QUIET_NAN = 0x7FF8_0000_0000_0000
MONTH_BITS = 16


def error_value(row: int, months: int) -> Values:
    """Return the error value of a row in each month: a NaN whose payload says where it began, shape (months,)."""
    bits = np.uint64(QUIET_NAN) | np.uint64((row + 1) << MONTH_BITS) | np.arange(months, dtype=np.uint64)
    return bits.view(np.float64)


def origin_of(value: float) -> tuple[int, int] | None:
    """Return the (row, month's place) an error value began at; None for one that does not say."""
    bits = int(np.float64(value).view(np.uint64)) & 0x0007_FFFF_FFFF_FFFF
    row, month = bits >> MONTH_BITS, bits & (1 << MONTH_BITS) - 1
    return (row - 1, month) if row else None


@dataclass(frozen=True)
class LineRows:
    """Where a line's values stand.

    Parameters
    ----------
    first : its first row; one row per combination of members, in the order of the model's dimensions.
    shape : members, or 1, for each of the model's dimensions.
    raw : first row of what the formula gives before actuals replace it; the same as ``first`` without any.
    """

    first: int
    shape: tuple[int, ...]
    raw: int

    @cached_property
    def count(self) -> int:
        """How many rows."""
        return prod(self.shape)

    @property
    def rows(self) -> slice:
        """Its rows."""
        return slice(self.first, self.first + self.count)


@dataclass(frozen=True)
class Program:
    """Rows and instructions.

    Parameters
    ----------
    row_count : rows in all, working rows included.
    months : of the timeline.
    template : shape (rows, months): counters, written numbers and error values; 0 elsewhere.
    lines : by line name, auxiliary lines included.
    known : by line with actuals, the first of its rows of known months, in which unknown ones are error values.
    code, sections, watched, lists, errors, tables, values : see ``kernel.run``.
    section_lines : by section that is solved, the lines in it.
    ends : by calculated line that is not stepped, the instruction behind which its raw rows are final.
    """

    row_count: int
    months: int
    template: Values
    lines: Mapping[str, LineRows]
    known: Mapping[str, int]
    code: Whole
    sections: Whole
    watched: Whole
    lists: Whole
    errors: Values
    tables: Whole
    values: Values
    fiscal: Whole
    section_lines: Mapping[int, tuple[str, ...]]
    ends: Mapping[str, int]

    @cached_property
    def most_watched(self) -> int:
        """The most rows any month that is solved must watch."""
        return int(np.diff(self.sections[:, 3:5]).max(initial=1))

    @cached_property
    def spans(self) -> tuple[tuple[str, ...], Whole, Whole]:
        """Names of all lines, and by line its first row and the one behind its last."""
        first = np.array([found.first for found in self.lines.values()], dtype=np.int64)
        return (
            tuple(self.lines),
            first,
            first + np.array([found.count for found in self.lines.values()], dtype=np.int64),
        )

    def origin(self, value: float) -> tuple[str, tuple[int, ...], int] | None:
        """Return where an error value began: (line, place along the model's dimensions, month's place); else None."""
        began = origin_of(value)
        for name, found in self.lines.items() if began else ():
            row, month = began or (0, 0)
            if found.first <= row < found.first + found.count:
                return name, tuple(int(i) for i in np.unravel_index(row - found.first, found.shape)), month
        return None
