"""Units: products of powers of currency, counted things, people and time, read from text and inferred through formulas.

The month is the grain of every value, so a month is no unit of its own: EUR a month and EUR are the same flow. A year
is one: a rate a year becomes a monthly one by dividing by ``months_per_year``, never silently. Per cent is a plain
number (decision 0017).
"""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache

from widefork.core.errors import InvalidModel
from widefork.core.language import syntax
from widefork.core.language.functions import FUNCTIONS, UnitRule
from widefork.core.language.syntax import Node, Spot

_WORD = re.compile(r"[^\W\d_]+(?:-[^\W\d_]+)*")
_PLAIN_WORDS = frozenset({"", "1", "%", "number", "share", "month"})


@dataclass(frozen=True)
class Unit:
    """A product of powers, such as EUR¹ kit⁻¹. ``powers`` is sorted by name and holds no zeros.

    Examples
    --------
    >>> read_unit("EUR/kit") * read_unit("kits") == read_unit("EUR")
    True
    >>> str(read_unit("% a year")), str(read_unit("EUR") / read_unit("head"))
    ('1/year', 'EUR/head')
    """

    powers: tuple[tuple[str, int], ...] = ()

    def __mul__(self, other: "Unit") -> "Unit":
        return self._combined(other, 1)

    def __truediv__(self, other: "Unit") -> "Unit":
        return self._combined(other, -1)

    def __pow__(self, exponent: int) -> "Unit":
        return _unit({name: power * exponent for name, power in self.powers})

    def _combined(self, other: "Unit", sign: int) -> "Unit":
        powers = dict(self.powers)
        for name, power in other.powers:
            powers[name] = powers.get(name, 0) + sign * power
        return _unit(powers)

    def __str__(self) -> str:
        above = [_word(name, power) for name, power in self.powers if power > 0]
        below = [_word(name, -power) for name, power in self.powers if power < 0]
        if not above and not below:
            return "a plain number"
        return "/".join([" ".join(above) or "1", *below])


PLAIN = Unit()


def _unit(powers: Mapping[str, int]) -> Unit:
    return Unit(tuple(sorted((name, power) for name, power in powers.items() if power)))


def _word(name: str, power: int) -> str:
    return name if power == 1 else f"{name}^{power}"


MOST_DECIMALS = 6


@dataclass(frozen=True)
class UnitForm:
    """How a model spells and shows one of its units, where that is not as usual.

    Parameters
    ----------
    many : as lines are in: boxes. one : as prices are per: box; empty where it is ``many`` without its s.
    decimals : how many amounts of it are shown with; None as usual.

    Raises
    ------
    InvalidModel: no unit, or decimals out of range.
    """

    many: str
    one: str = ""
    decimals: int | None = None

    def __post_init__(self) -> None:
        place = f"units/{self.many}"
        if not self.many.strip():
            raise InvalidModel("A unit needs its word, such as boxes.", "units")
        if self.one and not all(_WORD.fullmatch(word) for word in (self.many, self.one)):
            sentence = f"One and many are a word each, such as box and boxes; got “{self.one}” and “{self.many}”."
            raise InvalidModel(sentence, place)
        if self.decimals is not None and not 0 <= self.decimals <= MOST_DECIMALS:
            raise InvalidModel(f"{self.many}: expected 0 to {MOST_DECIMALS} decimals; got {self.decimals}.", place)


def in_ones(unit: str, forms: Iterable[UnitForm]) -> str:
    """Return a unit with each word a form has for many as the form has it for one.

    >>> in_ones("boxes/shelf", [UnitForm("boxes", "box")])
    'box/shelf'
    """
    ones = {form.many: form.one for form in forms if form.one}
    return _WORD.sub(lambda word: ones.get(word[0], word[0]), unit) if ones else unit


@lru_cache(maxsize=1024)
def read_unit(text: str) -> Unit:
    """Return the unit a text names: ``EUR/kit``, ``% a year``, ``% of revenue``, ``hours/head``.

    A trailing s is dropped from lower-case words, so that kits and kit are one unit; what follows “of” is a comment.
    """
    above, *below = re.split(r"\s*/\s*|\s+(?:a|per)\s+", re.sub(r"\s+of\s+.*$", "", text.strip()))
    unit = _product(above)
    for part in below:
        unit = unit / _product(part)
    return unit


def _product(text: str) -> Unit:
    unit = PLAIN
    for word in text.split():
        name, _, power = word.partition("^")
        singular = name[:-1] if len(name) > 2 and name.endswith("s") and name == name.lower() else name
        if singular not in _PLAIN_WORDS:
            unit = unit * Unit(((singular, int(power) if power.isdecimal() else 1),))
    return unit


@dataclass(frozen=True)
class UnitWarning:
    """A mismatch of units, in words, at its place in the formula. Never stops a calculation."""

    sentence: str
    spot: Spot


def check_units(
    tree: Node, declared: str, lines: Mapping[str, str], counters: Mapping[str, str]
) -> tuple[UnitWarning, ...]:
    """Return the mismatches of a formula's units.

    Parameters
    ----------
    tree : the formula. declared : the unit of its line; empty where the line does not say.
    lines : unit of each line by name; empty is unknown and fits anything. counters : unit of each counter.
    """
    checker = _Checker(lines, counters)
    found = checker.unit(tree)
    if found is not None and declared and found != read_unit(declared):
        sentence = f"This gives {found}, but the line is in {read_unit(declared)}."
        checker.warnings.append(UnitWarning(sentence + _year_hint(found, read_unit(declared)), tree.spot))
    return tuple(checker.warnings)


def _year_hint(one: Unit, other: Unit) -> str:
    ratio = dict((one / other).powers)
    if set(ratio) == {"year"}:
        return " A yearly rate becomes a monthly one by dividing by months_per_year."
    return ""


_VERBS = {"+": "adds {1} to {0}", "-": "subtracts {1} from {0}"}


class _Checker:
    """Infers units bottom-up; None is unknown, or a bare number that takes the unit beside it."""

    def __init__(self, lines: Mapping[str, str], counters: Mapping[str, str]) -> None:
        self.lines, self.counters = lines, counters
        self.warnings: list[UnitWarning] = []

    def unit(self, node: Node) -> Unit | None:
        match node:
            case syntax.Name(name) | syntax.At(name, _):
                text = self.counters.get(name, self.lines.get(name, ""))
                return read_unit(text) if text else None
            case syntax.Negative(operand):
                return self.unit(operand)
            case syntax.Conditional(condition, yes, no):
                self.unit(condition)
                return self.alike([yes, no], "gives {0} in one case and {1} in the other")
            case syntax.Operation(operator, left, right):
                return self.operation(operator, left, right)
            case syntax.Call(function, arguments):
                return self.call(function, arguments)
        for child in syntax.children(node):
            self.unit(child)
        return None

    def alike(self, nodes: list[Node], words: str) -> Unit | None:
        found: Unit | None = None
        for node in nodes:
            unit = self.unit(node)
            if unit is not None and found is not None and unit != found:
                sentence = f"This {words.format(found, unit)}; both must be in the same unit."
                self.warnings.append(UnitWarning(sentence + _year_hint(found, unit), node.spot))
            found = unit if found is None else found
        return found

    def operation(self, operator: str, left: Node, right: Node) -> Unit | None:
        if operator in _VERBS:
            return self.alike([left, right], _VERBS[operator])
        if operator in ("<", "<=", ">", ">=", "=", "!="):
            self.alike([left, right], "compares {0} with {1}")
            return PLAIN
        one, other = self.unit(left), self.unit(right)
        if operator == "^":
            return self.power(one, right)
        if operator not in "*/" or (one is None and other is None):
            return None if operator in "*/" else PLAIN
        if one is None and not _is_number(left):
            return None
        if other is None and not _is_number(right):
            return None
        one, other = one or PLAIN, other or PLAIN
        return one * other if operator == "*" else one / other

    def power(self, base: Unit | None, exponent: Node) -> Unit | None:
        if base is None or base == PLAIN:
            return base
        if isinstance(exponent, syntax.Number) and exponent.value == int(exponent.value):
            return base ** int(exponent.value)
        return None

    def call(self, name: str, arguments: tuple[Node, ...]) -> Unit | None:
        function = FUNCTIONS[name]
        if function.unit_rule is UnitRule.ALIKE:
            return self.alike(list(arguments), f"compares {{0}} with {{1}} in {name}")
        first = self.unit(arguments[0]) if arguments else None
        if function.takes_values_only:
            for argument in arguments[1:]:
                self.unit(argument)
        if function.unit_rule is UnitRule.NUMBER and first is not None and first != PLAIN:
            self.warnings.append(
                UnitWarning(f"{name} takes a plain number; this is in {first}. Divide it first.", arguments[0].spot)
            )
        return first if function.unit_rule is UnitRule.FIRST else PLAIN


def _is_number(node: Node) -> bool:
    """Whether a piece is made of written numbers alone, which multiply without a unit."""
    return all(not isinstance(piece, syntax.Name | syntax.At) for piece in syntax.walk(node))
