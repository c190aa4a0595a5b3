"""Entry rules as a person reads and types them."""

from widefork.core.axes import Month
from widefork.core.rules import RULES, Rule, held_first, read_words
from widefork.web.shared import formats


def read_amount(text: str, unit: str) -> float:
    """Return an amount in the line's unit; on a % line 5 and 5 % are the same."""
    value = formats.read_amount(text.strip().removesuffix("%"))
    return value / 100 if unit.startswith("%") else value


def read_phrase(text: str, unit: str, first: Month | None = None) -> Rule:
    """Return the rule a phrase says; raises InvalidValue with examples.

    Parameters
    ----------
    first : the month it begins to speak of; growth from that very month holds its base there. None takes it as said.
    """
    rule = read_words(RULES, text, lambda part: read_amount(part, unit))
    return rule if first is None else held_first(rule, first)


def exact(value: float, unit: str) -> str:
    """A value in words with all its digits, so that what is not touched does not move."""
    return f"{formats.typed(value, unit)} %" if unit.startswith("%") else formats.typed(value, unit)


def exact_phrase(rule: Rule, unit: str) -> str:
    """A rule in words that read back as itself."""
    return rule.words(lambda value: exact(value, unit))
