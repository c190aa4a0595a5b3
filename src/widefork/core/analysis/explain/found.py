"""What an explanation is made of: plain data."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from widefork.core.axes import Month
from widefork.core.changes import Change
from widefork.core.lines import MemberKey


class Kind(StrEnum):
    """What a value is made by."""

    ACTUAL = "actual"
    ASSUMPTION = "assumption"
    FORMULA = "formula"
    MONTHS = "months"
    MEMBERS = "members"
    RATIO = "ratio"
    PROBLEM = "problem"
    ABSENT = "absent"


@dataclass(frozen=True)
class Part:
    """One thing a value is made of: where it stands and what it is worth.

    Parameters
    ----------
    value : in the unit of its line. role : how it enters, where that is more than by itself ("the month before").
    """

    line: str
    members: MemberKey
    first: Month
    last: Month
    value: float
    role: str = ""


CHANGED_DIRECTLY = "changed directly"
"""The words of what changes of a calculated line itself add to its formula."""


@dataclass(frozen=True)
class Contribution:
    """A signed share of a value. All contributions of a value add up to it.

    Parameters
    ----------
    words : str. The piece of the formula, or what else it is ("changed directly", "before the start").
    amount : in the unit of the explained line, with the sign it enters by.
    parts : what the piece is computed from: its factors, or the one month or member it stands for.
    note : str. Why this piece and not another, where a choice was made: "the least; capacity is 40 away".
    """

    words: str
    amount: float
    parts: tuple[Part, ...] = ()
    note: str = ""


@dataclass(frozen=True)
class Explanation:
    """How one value came about.

    Parameters
    ----------
    line, members, first, last : which value; members () is the whole.
    value : in the line's unit; NaN for an error value.
    formula : as written; empty for anything but FORMULA and RATIO. filled : the same with values put in.
    parts : what it is made of, in reading order.
    contributions : its signed shares, adding up to it; empty for what is given and for an error value.
    changes : those of the case that touch it here.
    dependents : lines computed from this one.
    """

    line: str
    members: MemberKey
    first: Month
    last: Month
    value: float
    kind: Kind
    formula: str
    filled: str
    parts: tuple[Part, ...]
    changes: tuple[Change, ...]
    dependents: tuple[str, ...]
    sentence: str = ""
    contributions: tuple[Contribution, ...] = ()


Show = Callable[[str, float], str]
"""Writes a value in the format of a line: (line name, value) to text."""
