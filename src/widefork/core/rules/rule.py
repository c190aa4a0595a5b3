"""What every entry rule has in common, and reading and writing its document form."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidModel, InvalidValue

Values = NDArray[np.float64]


class Rule(Protocol):
    """An entry rule: a few figures that give every month of an assumption."""

    def values(self, timeline: Timeline) -> Values:
        """Return the months' values, shape (months,), in the line's unit."""
        ...

    def words(self, show: Callable[[float], str]) -> str:
        """Return the rule as a short phrase; ``show`` writes a figure in the line's format."""
        ...

    def document(self) -> Any:
        """Return the rule in the open text format, without its name."""
        ...


@dataclass(frozen=True)
class RuleKind:
    """A rule's entry in the registry.

    Parameters
    ----------
    name : str. Its key in the open text format (``steps``).
    label : str. What the page calls it.
    read : reads the document form; raises InvalidValue with a sentence.
    rule : the class.
    """

    name: str
    label: str
    read: Callable[[Any], Rule]
    rule: type


def read_rule(kinds: Iterable[RuleKind], document: Any) -> Rule:
    """Return the rule a document describes: a bare number is flat, otherwise one key names the kind.

    Raises
    ------
    InvalidModel: not a number, not exactly one known rule, or figures the rule cannot take.
    """
    by_name = {kind.name: kind for kind in kinds}
    if isinstance(document, int | float) and not isinstance(document, bool):
        return by_name["flat"].read(document)
    if not isinstance(document, Mapping) or len(document) != 1 or next(iter(document)) not in by_name:
        raise InvalidModel(f"Expected a number or one rule of {', '.join(by_name)}; got {document!r}.", "rule")
    name = next(iter(document))
    try:
        return by_name[name].read(document[name])
    except InvalidValue as fault:
        raise InvalidModel(fault.sentence, f"rule/{name}") from fault


def write_rule(kinds: Iterable[RuleKind], rule: Rule) -> Any:
    """Return a rule's document form; the inverse of ``read_rule``."""
    name = next(kind.name for kind in kinds if isinstance(rule, kind.rule))
    return rule.document() if name == "flat" else {name: rule.document()}


def number(value: Any, what: str) -> float:
    """Return a finite number or raise InvalidValue naming what it was for."""
    if isinstance(value, bool) or not isinstance(value, int | float) or not np.isfinite(value):
        raise InvalidValue(f"Expected a number for {what}; got {value!r}.")
    return float(value)


def plain(value: float) -> int | float:
    """Return a whole float as an int, so that files read 46 and not 46.0."""
    return int(value) if value == int(value) and abs(value) < 1e15 else value


def mapping(value: Any, what: str) -> Mapping[Any, Any]:
    """Return a non-empty mapping or raise InvalidValue naming what it was for."""
    if not isinstance(value, Mapping) or not value:
        raise InvalidValue(f"Expected {what}; got {value!r}.")
    return value


def by_month(value: Any, what: str) -> tuple[tuple[Month, float], ...]:
    """Return (month, number) pairs in order of months."""
    pairs = mapping(value, f"{what} by month, like {{2026-07: 12}}")
    return tuple(
        sorted((Month.parse(str(month)), number(amount, f"{what} in {month}")) for month, amount in pairs.items())
    )
