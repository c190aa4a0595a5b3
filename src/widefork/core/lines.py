"""Lines: named monthly series, either given (assumptions) or calculated."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property

from widefork.core.errors import InvalidModel
from widefork.core.look import Look, PlausibleRange
from widefork.core.rules import Rule

LINE_NAME = re.compile(r"[^\W\d_A-Z]\w*")
RESERVED_WORDS = frozenset({"if", "then", "else", "and", "or", "not", "at"})

MemberKey = tuple[str, ...]
"""One member per dimension of the line, in the order of its dimensions; () where a value holds for all."""


class OverTime(StrEnum):
    """How months become a quarter or a year."""

    SUM = "sum"
    END = "end"
    START = "start"
    MEAN = "mean"
    WEIGHTED = "weighted"
    RATIO = "ratio"
    NONE = "none"


class OverMembers(StrEnum):
    """How members become the whole."""

    SUM = "sum"
    MEAN = "mean"
    WEIGHTED = "weighted"
    RATIO = "ratio"
    NONE = "none"


@dataclass(frozen=True)
class Rollup:
    """How a line is rolled up, separately over time and over members.

    With ``ratio`` the numerator and denominator lines are rolled up each and then divided. With ``weighted`` the line
    itself is averaged, each part by its share of the denominator line. With ``none`` there is no total, unless all
    parts are the same. What looks back has no value in the timeline's first ``blank_months``: too little came before.
    """

    over_time: OverTime = OverTime.SUM
    over_members: OverMembers = OverMembers.SUM
    numerator: str = ""
    denominator: str = ""
    blank_months: int = 0

    @classmethod
    def default(cls, unit: str) -> "Rollup":
        """Return the roll-up a unit suggests: all adds up but rates, prices, days and what is a year's, which do not.

        Nothing in a unit says what would weigh these.
        """
        is_level = "/" in unit or unit.startswith("%") or unit.endswith(" a year") or unit in ("days", "months", "")
        return cls(OverTime.NONE, OverMembers.NONE) if is_level else cls()

    @classmethod
    def weighted(cls, by: str) -> "Rollup":
        """Return the roll-up of a price, share or rate, averaged by what it applies to: ``by`` is that line's name."""
        return cls(OverTime.WEIGHTED, OverMembers.WEIGHTED, "", by)

    def has_total(self, over_time: bool, over_members: bool) -> bool:
        """Return whether parts that differ have a total, over time, over members or over both."""
        lacks_time = over_time and self.over_time is OverTime.NONE
        return not lacks_time and not (over_members and self.over_members is OverMembers.NONE)


BALANCE = Rollup(OverTime.END, OverMembers.SUM)
NO_TOTAL = Rollup(OverTime.NONE, OverMembers.NONE)


PartRollups = Mapping[str, "str | tuple[str, ...] | Rollup"]
"""By part of what a pattern or schedule writes: how it is rolled up, or the part that weighs it, the first written."""


@dataclass(frozen=True)
class LineSource:
    """Which schedule, or the statements, wrote a generated line, and which part of it the line is."""

    schedule: str
    part: str


@dataclass(frozen=True)
class Line:
    """One named monthly series with a unit, perhaps spread over dimensions.

    Parameters
    ----------
    name : str. Lower-case words joined by underscores; used in formulas.
    label : str. Display name, free text.
    unit : str. As shown ("EUR/kit"); "%" values are stored as fractions.
    section : str. Name of the section it stands in.
    dimensions : tuple of str, at most three.
    formula : str or None. None makes it an assumption.
    rules : by member key, for an assumption. A key () holds for every member without a rule of its own.
    opening : float. Value of the month before the first one, where a formula looks back past the start.
    history : tuple of float. Values before the first month, latest last; read before ``opening``.
    actuals : by member key. Values of the first actual months; they replace formula or rule there.
    posts_to : str. Caption of the statements this line is part of; empty for none.
    note : str. Why this number.
    allow_loop : bool. The line may need itself in the same month; it is then solved there (decision 0019).
    absent : combinations of members that do not exist: 0 in every month, whatever formula or changes say.
    is_fixed : given, but part of how something is built rather than an assumption: nobody varies it.
    look : how its row is shown. plausible : between what its values may lie; None where nobody said.

    Raises
    ------
    InvalidModel: a name that is not lower-case words, or both or neither of formula and rules.
    """

    name: str
    label: str
    unit: str = ""
    section: str = ""
    dimensions: tuple[str, ...] = ()
    formula: str | None = None
    rules: Mapping[MemberKey, Rule] = field(default_factory=dict)
    rollup: Rollup = field(default_factory=Rollup)
    opening: float = 0.0
    history: tuple[float, ...] = ()
    actuals: Mapping[MemberKey, tuple[float, ...]] = field(default_factory=dict)
    posts_to: str = ""
    note: str = ""
    source: LineSource | None = None
    allow_loop: bool = False
    absent: tuple[MemberKey, ...] = ()
    look: Look = field(default_factory=Look)
    plausible: PlausibleRange | None = None
    is_fixed: bool = False

    def __post_init__(self) -> None:
        place = f"lines/{self.name}"
        if not LINE_NAME.fullmatch(self.name) or self.name in RESERVED_WORDS or self.name != self.name.lower():
            raise InvalidModel(
                f"A line's name is lower-case words joined by underscores, like kit_price; “{self.name}” is not.",
                place,
            )
        if len(self.dimensions) > 3:
            raise InvalidModel("A line is spread over at most three dimensions.", place)
        if (self.formula is None) == (not self.rules):
            raise InvalidModel("A line has either a formula or rules for its values, and not both.", place)
        for key in [*self.rules, *self.actuals, *self.absent]:
            if key and len(key) != len(self.dimensions):
                raise InvalidModel(f"{' / '.join(key)} does not name one member for each dimension.", place)
        for key in self.absent:
            if key in self.rules or key in self.actuals:
                raise InvalidModel(f"{' / '.join(key)} is said not to exist, and has values too.", place)

    @property
    def is_given(self) -> bool:
        """Whether its values are given rather than calculated."""
        return self.formula is None

    @cached_property
    def is_assumption(self) -> bool:
        """Whether its values are given, and somebody may give others."""
        return self.is_given and not self.is_fixed

    @property
    def is_flow(self) -> bool:
        """Whether its months are amounts of their own that add up, rather than a level."""
        return self.rollup.over_time is OverTime.SUM

    @property
    def is_generated(self) -> bool:
        """Whether a schedule or the statements wrote it."""
        return self.source is not None


@dataclass(frozen=True)
class Section:
    """A chapter of lines in the order a reader wants them."""

    name: str
    label: str
    note: str = ""


def with_rollups(lines: Iterable[Line], prefix: str, rollups: PartRollups) -> list[Line]:
    """Return lines that were written together, rolled up as is declared of their parts.

    A part that is weighed by one that was not written keeps what its unit suggests.
    """
    written = list(lines)
    names = {line.name for line in written}
    found = []
    for line in written:
        declared = rollups.get(line.name.removeprefix(f"{prefix}_"))
        if isinstance(declared, str | tuple):
            parts = (declared,) if isinstance(declared, str) else declared
            by = next((f"{prefix}_{part}" for part in parts if f"{prefix}_{part}" in names), None)
            declared = Rollup.weighted(by) if by is not None else None
        found.append(line if declared is None else replace(line, rollup=declared))
    return found
