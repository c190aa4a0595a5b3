"""What every entry rule has in common, and reading and writing its document form."""

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum
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


ReadAmount = Callable[[str], float]
"""Reads an amount as the page writes it; raises InvalidValue."""


class FieldKind(StrEnum):
    """What a figure of a rule is, and so how a form asks for it."""

    AMOUNT = "amount"
    TEXT = "text"
    RATE = "rate"
    COUNT = "count"
    MONTH = "month"
    CHOICE = "choice"
    WEIGHTS = "weights"
    AMOUNTS = "amounts"
    BY_MONTH = "by month"
    BY_PERIOD = "by period"


@dataclass(frozen=True)
class RuleField:
    """A figure of a rule, as a form asks for it.

    Parameters
    ----------
    key : where it stands in the document form; empty where the document is nothing else.
    choices : for a choice.
    """

    key: str
    label: str
    kind: FieldKind
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class RuleKind:
    """A rule's entry in the registry.

    Parameters
    ----------
    name : str. Its key in the open text format (``steps``).
    label : str. What the page calls it.
    read : reads the document form; raises InvalidValue with a sentence.
    rule : the class.
    from_words : reads the phrase that ``words`` writes: (phrase, how to read an amount) to a document form, or None
        where the phrase is of another kind.
    example : such a phrase.
    fields : what a form asks for.
    fit : (timeline, months' values) to the document form that comes nearest; exact where the kind can say them.
    is_made : somewhere else, and not offered where a rule is written by hand.
    """

    name: str
    label: str
    read: Callable[[Any], Rule]
    rule: type
    from_words: Callable[[str, ReadAmount], Any | None]
    example: str
    fields: tuple[RuleField, ...]
    fit: Callable[[Timeline, Values], Any]
    is_made: bool = False


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


def read_words(kinds: Iterable[RuleKind], phrase: str, read: ReadAmount) -> Rule:
    """Return the rule a phrase says; the inverse of ``words``.

    Parameters
    ----------
    phrase : such as ``46.00 growing 3 % once a year from Jan 27``; a bare amount is flat.
    read : reads an amount in the line's format.

    Raises
    ------
    InvalidValue: no rule is said so; gives an example of each.
    """
    words = " ".join(phrase.split())
    for kind in kinds:
        document = kind.from_words(words, read)
        if document is not None:
            return kind.read(document)
    examples = "; ".join(f"“{kind.example}”" for kind in kinds)
    raise InvalidValue(f"“{words}” is no rule. Write one like {examples}.")


def pairs_in_words(text: str, form: str, read: ReadAmount) -> list[tuple[str, float]] | None:
    """Return (second, first) of phrases like ``48,000 in Nov 26, 52,000 in May 27``; None where one does not fit.

    ``form`` is a pattern with the groups amount and key. Amounts may hold commas, so phrases end with their key.
    """
    found = list(re.finditer(form, text))
    if not found or "".join(match[0] for match in found) != text:
        return None
    return [(match["key"], read(match["amount"])) for match in found]


def months_in_words(phrase: str, prefix: str, read: ReadAmount) -> dict[str, float] | None:
    """Return amounts by month of a phrase like ``once: 48,000 in Nov 26, 52,000 in May 27``; None for any other."""
    if not phrase.startswith(prefix):
        return None
    form = r"(?:, |^)(?P<amount>[^a-z]+?) in (?P<key>[A-Z][a-z]{2} \d{2,4})"
    pairs = pairs_in_words(phrase.removeprefix(prefix), form, read)
    return None if pairs is None else {str(Month.parse(month)): amount for month, amount in pairs}


def years_in_words(text: str, read: ReadAmount) -> dict[int, float] | None:
    """Return amounts by fiscal year of a phrase like ``FY26 24.90, FY27 25.90``; None where it is none."""
    parts = re.split(r",? ?FY(\d{2}) ", text)
    if len(parts) < 3 or parts[0]:
        return None
    return {2000 + int(year): read(amount) for year, amount in zip(parts[1::2], parts[2::2], strict=True)}


def write_rule(kinds: Iterable[RuleKind], rule: Rule) -> Any:
    """Return a rule's document form; the inverse of ``read_rule``."""
    name = next(kind.name for kind in kinds if isinstance(rule, kind.rule))
    return rule.document() if name == "flat" else {name: rule.document()}


def changes_of_value(timeline: Timeline, values: Values) -> list[tuple[Month, float]]:
    """Return the months in which a value differs from the month before, the first month included."""
    pairs = list(zip(timeline.months, (float(value) for value in values), strict=True))
    return [pair for place, pair in enumerate(pairs) if place == 0 or pair[1] != pairs[place - 1][1]]


def means_by(periods: Iterable[Any], values: Values) -> dict[Any, float]:
    """Return the mean of the months of each period, in order; a mean of equal months is their very value."""
    found: dict[Any, list[float]] = {}
    for period, value in zip(periods, values, strict=True):
        found.setdefault(period, []).append(float(value))
    return {period: run[0] if min(run) == max(run) else float(np.mean(run)) for period, run in found.items()}


MAGNITUDES = {"k": 3, "thousand": 3, "mn": 6, "million": 6, "bn": 9, "billion": 9}
"""Words after a number, and the power of ten they stand for. A bare m is not one: to some it is a thousand."""


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
