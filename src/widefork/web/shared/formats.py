"""Values to text as the pages show them, and typed text to values. The unit decides the digits."""

import re
from collections.abc import Iterable
from contextvars import ContextVar
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from math import isfinite
from typing import TypeVar

from widefork.core.axes import Month
from widefork.core.changes import Operation
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure, Reduction
from widefork.core.language.units import UnitForm
from widefork.core.lines import Line
from widefork.core.look import Scale
from widefork.core.rules import MAGNITUDES

MINUS, DASH = "−", "–"
NO_VALUE = "n/a"
HALF_UP = 1 + 1e-15
"""What lifts a half over the half: 62.5 and 87.5 both round up, and so does 2.675, which is a little less in binary."""
TOO_MUCH = 1e15
"""From here on sums lose their cents (a double has 15 digits); nobody's company is so large."""
RESIDUE = 1e-7
"""What adding and taking away large amounts leaves of nothing; in a table it is nothing."""
_IN_PARTS = frozenset({"", "heads", "FTE"})
"""A plain number, and people: half a post is a post. Whatever else is counted is shown whole."""
_own_decimals: ContextVar[dict[str, int]] = ContextVar("own_decimals", default={})  # noqa: B039 never changed in place


def show_units(forms: Iterable[UnitForm]) -> None:
    """Show units as a model has them, until told otherwise: in this thread, so for the request it answers."""
    _own_decimals.set({form.many: form.decimals for form in forms if form.decimals is not None})


def digits(value: float, unit: str) -> int:
    """Return how many decimals a value of a unit is shown with: as the model says, else what is counted is whole."""
    own = _own_decimals.get().get(unit)
    if own is not None:
        return own
    if unit.startswith("%"):
        return 1
    if "/" in unit:
        return 0 if unit.split("/")[0].isupper() and abs(value) >= 1000 and value == round(value) else 2
    return 1 if unit in _IN_PARTS and value != round(value) else 0


def plain_number(value: float, places: int) -> str:
    """Return a number with grouped thousands and a true minus sign; halves are rounded up, away from 0."""
    text = f"{abs(value) * HALF_UP:,.{places}f}"
    is_zero = not any(c in "123456789" for c in text)
    return text if is_zero or value >= 0 else f"{MINUS}{text}"


def shortened(label: str, most: int) -> str:
    """Return a label of at most so many letters, its end cut off with an ellipsis."""
    return label if len(label) <= most else f"{label[: most - 1].rstrip(' ,')}…"


def cell(value: float, unit: str) -> str:
    """Return a value for a table: no unit, zero as a dash."""
    if not isfinite(value):
        return NO_VALUE
    if abs(value) < RESIDUE:
        return DASH
    shown = value * 100 if unit.startswith("%") else value
    return plain_number(shown, digits(value, unit))


def line_cell(value: float, line: Line) -> str:
    """Return a value for a table as the line asks to be shown: its decimals, in thousands, as a percentage."""
    look = line.look
    if (look.decimals is None and look.scale is None) or not isfinite(value) or value == 0:
        return cell(value, line.unit)
    usual = 100.0 if line.unit.startswith("%") else 1.0
    shown = value * (look.scale.factor if look.scale is not None else usual)
    usual_places = 0 if look.scale in (Scale.THOUSANDS, Scale.MILLIONS) else digits(value, line.unit)
    return plain_number(shown, usual_places if look.decimals is None else look.decimals)


def amount(value: float, unit: str) -> str:
    """Return a value for running text: zero as 0, percent with its sign, no other unit."""
    if not isfinite(value):
        return NO_VALUE
    if unit.startswith("%"):
        return f"{plain_number(value * 100, digits(value, unit))} %"
    return plain_number(value, digits(value, unit))


def exact(value: float, unit: str) -> str:
    """Return a value somebody set as running text, with all its digits: a log that rounds says what was not done."""
    shown = value * 100 if unit.startswith("%") else value
    if not isfinite(shown):
        return NO_VALUE
    places = max(digits(value, unit), len(written_out(shown).partition(".")[2]))
    return plain_number(shown, places) + (" %" if unit.startswith("%") else "")


def exact_difference(value: float, unit: str) -> str:
    """Return an amount somebody added as running text, with its sign and all its digits."""
    text = exact(value, unit).removesuffix(" %") + (" pt" if unit.startswith("%") else "")
    return text if value <= 0 else f"+{text}"


def signed(value: float, unit: str) -> str:
    """Return a difference with its sign; ``same`` for none."""
    if not isfinite(value):
        return NO_VALUE
    text = amount(value, unit).removesuffix(" %") + (" pt" if unit.startswith("%") else "")
    if not any(c in "123456789" for c in text):
        return "same"
    return text if value < 0 else f"+{text}"


def typed(value: float, unit: str) -> str:
    """Return a value as a person would type it: full precision, plain minus, percent as percent."""
    return written_out(value * 100 if unit.startswith("%") else value)


def written_out(value: float) -> str:
    """Return a number with ten digits that matter, all fifteen for a large one, and never an exponent."""
    text = f"{value:.10g}" if abs(value) < 1e9 else f"{value:.15g}"
    return format(Decimal(text), "f") if "e" in text and isfinite(value) else text


def figure_text(figure: Figure, line: Line, value: float) -> str:
    """Return a figure's answer for running text."""
    if figure.reduction.gives_month:
        return Month.from_ordinal(int(value)).label if isfinite(value) else "not in the plan"
    if figure.reduction is Reduction.MONTH_COUNT:
        return f"{int(value)}" if isfinite(value) else NO_VALUE
    return amount(value, line.unit)


def figure_difference(figure: Figure, line: Line, difference: float) -> str:
    """Return a figure's difference in words or signed numbers."""
    if figure.reduction.gives_month:
        if not isfinite(difference):
            return ""
        months = int(abs(difference))
        if months == 0:
            return "same"
        return f"{months} month{'s' if months > 1 else ''} {'later' if difference > 0 else 'sooner'}"
    unit = "months" if figure.reduction is Reduction.MONTH_COUNT else line.unit
    return signed(difference, unit)


Choice = TypeVar("Choice", bound=StrEnum)


def read_choice(kind: type[Choice], text: str, what: str) -> Choice:
    """Return the choice a form names; raise InvalidValue naming the choices there are."""
    if text not in list(kind):
        raise InvalidValue(f"Expected {what} to be one of {', '.join(kind)}; got “{text}”.")
    return kind(text)


@dataclass(frozen=True)
class Typed:
    """What a person typed: an operation and its amount, in the line's unit (percent already divided by 100)."""

    operation: Operation
    amount: float


def read_typed(text: str, unit: str) -> Typed:
    """Return what was typed into a cell: a number sets; a leading + - * / changes relatively; +3 % scales.

    Raises
    ------
    InvalidValue: empty, not a number, or a separator that can be read two ways; says what to write.
    """
    given = text.strip().replace(MINUS, "-").replace("×", "*").replace("\u00a0", " ")
    if not given:
        raise InvalidValue("The cell is empty. Type a number, 0 for nothing, or press Esc to leave it as it was.")
    sign, rest = (given[0], given[1:].strip()) if given[0] in "+-*/" else ("", given)
    is_percent = rest.endswith("%")
    number = read_amount(rest.removesuffix("%"))
    if sign in ("*", "/"):
        if sign == "/" and number == 0:
            raise InvalidValue("Dividing by 0 gives nothing. Type another divisor.")
        factor = number / 100 if is_percent else number
        return Typed(Operation.SCALE, factor if sign == "*" else 1 / factor)
    if sign and is_percent:
        return Typed(Operation.SCALE, 1 + number / 100 if sign == "+" else 1 - number / 100)
    if is_percent and not unit.startswith("%"):
        raise InvalidValue(
            f"This line is in {unit or 'plain numbers'}, not in percent. Type +{rest} to raise it by that."
        )
    scaled = number / 100 if unit.startswith("%") else number
    if sign:
        return Typed(Operation.ADD, scaled if sign == "+" else -scaled)
    return Typed(Operation.SET, scaled)


_LARGE = re.compile(rf"(?P<number>.*[\d)]) ?(?P<word>{'|'.join(MAGNITUDES)})", re.IGNORECASE)


def read_number(text: str) -> float:
    """Return a number typed with either decimal style; brackets mean negative, ``2.6 bn`` is 2,600,000,000.

    Raises
    ------
    InvalidValue: empty, other letters, one separator that could be thousands or decimals, or 10¹⁵ and more.
    """
    given = text.strip().strip("€$£").strip()
    large = _LARGE.fullmatch(given)
    if large is not None:
        value = float(Decimal(repr(read_number(large["number"]))).scaleb(MAGNITUDES[large["word"].lower()]))
        refuse_too_much(value, text)
        return value
    if given.startswith("(") and given.endswith(")"):
        return -read_number(given[1:-1])
    negative = given.startswith(("-", MINUS))
    body = given.lstrip("-" + MINUS).replace(" ", "").replace("\u202f", "").replace("\u00a0", "").replace("'", "")
    if not body:
        raise InvalidValue("Expected a number, got nothing. Type one like 1250 or 49.50.")
    if not re.fullmatch(r"[\d.,]+", body) or not any(c.isdecimal() for c in body):
        raise InvalidValue(f"Expected a number, got “{text.strip()}”. Type one like 1250 or 49.50.")
    value = float(_with_point(body))
    refuse_too_much(value, text)
    return -value if negative else value


def read_amount(text: str) -> float:
    """Return a number, or one divided by another: ``1900 / 12``, a year's by the month.

    Not for what is pasted or read from files, where 1/12 may be a day.

    Raises
    ------
    InvalidValue: as read_number; a divisor of 0.
    """
    above, slash, below = text.partition("/")
    if not slash:
        return read_number(text)
    divisor = read_number(below)
    if divisor == 0:
        raise InvalidValue("Dividing by 0 gives nothing. Type another divisor.")
    return read_number(above) / divisor


def refuse_too_much(value: float, text: str) -> None:
    """Raise InvalidValue for an amount whose sums would lose their cents."""
    if not abs(value) < TOO_MUCH:
        said = text.strip()[:40]
        raise InvalidValue(f"“{said}” is more than can be computed to the cent. Type an amount below 10¹⁵.")


def _with_point(body: str) -> str:
    dots, commas = body.count("."), body.count(",")
    if dots and commas:
        decimal = "." if body.rfind(".") > body.rfind(",") else ","
        grouping = "," if decimal == "." else "."
        whole, _, part = body.rpartition(decimal)
        if body.count(decimal) > 1 or not re.fullmatch(rf"\d{{1,3}}(\{grouping}\d{{3}})+", whole):
            raise InvalidValue(f"“{body}” mixes points and commas. Type it without grouping, like {_bare(body)}.")
        return f"{whole.replace(grouping, '')}.{part}"
    mark = "." if dots else ","
    if body.count(mark) > 1:
        if not re.fullmatch(rf"\d{{1,3}}(\{mark}\d{{3}})+", body):
            raise InvalidValue(f"“{body}” has more than one “{mark}”. Type it without grouping, like {_bare(body)}.")
        return body.replace(mark, "")
    if commas and re.fullmatch(r"[1-9]\d{0,2},\d{3}", body):
        raise InvalidValue(f"“{body}” can be read two ways. Type {body.replace(',', '')} or {body.replace(',', '.')}.")
    return body.replace(",", ".")


def _bare(body: str) -> str:
    return re.sub(r"[.,]", "", body)
