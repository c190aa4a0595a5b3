"""Plausible ranges in words: ``42 to 49, likely 46``, or ``−10 % to +5 %``."""

import re

from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.look import PlausibleRange
from widefork.web.shared import formats

RANGE_EXAMPLE = "42 to 49, likely 46; or −10 % to +5 %"


def range_words(plausible: PlausibleRange | None, unit: str) -> str:
    """Return a plausible range as it is typed."""
    if plausible is None:
        return ""

    def show(value: float) -> str:
        if plausible.is_relative:
            return f"{value * 100:+.6g} %".replace("-", formats.MINUS)
        return formats.typed(value, unit)

    likely = f", likely {show(plausible.likely)}" if plausible.likely or not plausible.is_relative else ""
    return f"{show(plausible.low)} to {show(plausible.high)}{likely}"


def read_range(text: str, unit: str, usual: float) -> PlausibleRange | None:
    """Return the range a person typed: ``42 to 49``, ``42 to 49, likely 46``, ``-10 % to +5 %``; None for nothing.

    Parameters
    ----------
    usual : what is likely where nobody says, in the line's unit.

    Raises
    ------
    InvalidValue: any other text, or limits out of order.
    """
    said = " ".join(text.replace(formats.MINUS, "-").split())
    if not said:
        return None
    found = re.fullmatch(r"(.+?) to (.+?)(?:,? likely (.+))?", said)
    if found is None:
        raise InvalidValue(f"Expected a range like {RANGE_EXAMPLE}; got “{text.strip()}”.")
    is_relative = "%" in said and (not unit.startswith("%") or found[1].startswith(("+", "-")))

    def read(part: str) -> float:
        try:
            number = formats.read_number(part.strip().removesuffix("%").lstrip("+"))
        except InvalidValue as fault:
            raise InvalidValue(f"Expected a range like {RANGE_EXAMPLE}. {fault.sentence}") from fault
        return number / 100 if is_relative or unit.startswith("%") else number

    low, high = read(found[1]), read(found[2])
    if low > high:
        raise InvalidValue(f"A range goes from the lower to the higher amount; got “{text.strip()}”.")
    between = min(max(0.0 if is_relative else usual, min(low, high)), max(low, high))
    try:
        return PlausibleRange(low, read(found[3]) if found[3] else between, high, is_relative)
    except InvalidModel as fault:
        raise InvalidValue(str(fault)) from fault
