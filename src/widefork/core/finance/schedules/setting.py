"""What a schedule asks for, and how each answer is checked."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np

from widefork.core.axes import Month
from widefork.core.errors import InvalidValue, WideforkError
from widefork.core.graph.model import Model
from widefork.core.lines import Line
from widefork.core.rules import RULES, Rule, read_rule

NAME = "name"
"""What a row is called, among its columns."""


class SettingKind(StrEnum):
    """What a setting holds."""

    SERIES = "a number or an entry rule; becomes an assumption of its own"
    AMOUNT = "an amount"
    AMOUNTS = "a list of amounts, latest last"
    WHOLE = "a whole number"
    MONTH = "a month"
    LINES = "a list of lines"
    CHOICE = "one of a few words"
    TEXT = "a text"
    REGISTER = "a dimension whose members carry attributes"
    LINE = "a line"
    ROWS = "a list of rows, each with a name of its own"


class Role(StrEnum):
    """What a schedule does to the lines a setting names; a line has each role once."""

    SETTLED = "settled by"
    SALE_TAXED = "taxed on sale by"
    PURCHASE_TAXED = "taxed on purchase by"
    STOCKED = "kept in stock by"
    SPREAD_REVENUE = "spread as revenue by"
    SPREAD_COST = "spread as cost by"


@dataclass(frozen=True)
class Setting:
    """One setting of a schedule.

    Parameters
    ----------
    key : str. In the open text format.
    label : str. What the page calls it.
    unit : str. Of a series or amount; CUR stands for the model's currency.
    default : what holds when it is not given; a number for a series.
    is_required : it must be given.
    choices : words a choice takes, each with what the page calls it.
    role : for lines, what the schedule does to them.
    least, most : bounds of numbers, amounts and every month of a series.
    hint : str. One sentence beside the field.
    when : (key, words). Only asked where that choice is one of these.
    is_rare : seldom needed, and so asked for apart.
    columns : of rows, what each says beside its name.
    """

    key: str
    label: str
    kind: SettingKind
    unit: str = ""
    default: Any = None
    is_required: bool = False
    choices: tuple[tuple[str, str], ...] = ()
    role: Role | None = None
    least: float | None = None
    most: float | None = None
    hint: str = ""
    when: tuple[str, tuple[str, ...]] | None = None
    is_rare: bool = False
    columns: tuple["Setting", ...] = ()

    def checked(self, value: Any, model: Model) -> Any:
        """Return a given value read; raise InvalidValue with what was expected, or UnknownName."""
        match self.kind:
            case SettingKind.SERIES:
                return self._series(value, model)
            case SettingKind.AMOUNT:
                return self._amount(value)
            case SettingKind.AMOUNTS:
                if not isinstance(value, list | tuple):
                    raise InvalidValue(f"Expected a list of amounts for {self.label}; got {value!r}.")
                return tuple(self._amount(entry) for entry in value)
            case SettingKind.WHOLE:
                least = 1 if self.least is None else int(self.least)
                if isinstance(value, bool) or not isinstance(value, int) or value < least:
                    raise InvalidValue(f"Expected a whole number from {least} for {self.label}; got {value!r}.")
                self._within(float(value))
                return value
            case SettingKind.MONTH:
                return Month.parse(str(value))
            case SettingKind.CHOICE:
                return self._one_of([word for word, _ in self.choices], value)
            case SettingKind.TEXT:
                return str(value)
        return self._in_model(value, model)

    def _in_model(self, value: Any, model: Model) -> Any:
        """What speaks of parts of the model, or is made of settings itself."""
        match self.kind:
            case SettingKind.REGISTER:
                return model.dimension_by_name[self._one_of(list(model.dimension_by_name), value)]
            case SettingKind.LINE:
                return model.line(str(value))
            case SettingKind.ROWS:
                return self._rows(value, model)
        return self._lines(value, model)

    def _one_of(self, words: list[str], value: Any) -> Any:
        if value not in words:
            known = ", ".join(words) or "a dimension; there is none yet"
            raise InvalidValue(f"Expected one of {known} for {self.label}; got {value!r}.")
        return value

    def _series(self, value: Any, model: Model) -> Rule:
        rule = read_rule(RULES, value)
        values = rule.values(model.timeline)
        for bad, bound, words in (
            (values < self._low, self.least, "at least"),
            (values > self._high, self.most, "at most"),
        ):
            if bad.any():
                place = int(np.flatnonzero(bad)[0])
                raise InvalidValue(
                    f"{self.label.capitalize()} needs to be {words} {self.shown(bound)}; it is "
                    f"{self.shown(float(values[place]))} in {model.timeline.months[place].label}."
                )
        return rule

    @property
    def _low(self) -> float:
        return -np.inf if self.least is None else self.least

    @property
    def _high(self) -> float:
        return np.inf if self.most is None else self.most

    def shown(self, value: float | None) -> str:
        """Return a number of this setting for a sentence: per cent as such, else grouped."""
        if value is None:
            return ""
        return f"{value * 100:g} %" if self.unit.startswith("%") else f"{value:,.10g}"

    def _within(self, value: float) -> float:
        if value < self._low:
            raise InvalidValue(
                f"{self.label.capitalize()} needs to be at least {self.shown(self.least)}; got {value:g}."
            )
        if value > self._high:
            raise InvalidValue(f"{self.label.capitalize()} needs to be at most {self.shown(self.most)}; got {value:g}.")
        return value

    def _amount(self, value: Any) -> float:
        if isinstance(value, bool) or not isinstance(value, int | float) or not np.isfinite(value):
            raise InvalidValue(f"Expected an amount for {self.label}; got {value!r}.")
        return self._within(float(value))

    def _rows(self, value: Any, model: Model) -> tuple[dict[str, Any], ...]:
        """Rows with every column checked; what a row leaves out is the column's default, a rule for a series."""
        if not isinstance(value, list | tuple) or not all(isinstance(row, Mapping) for row in value):
            raise InvalidValue(f"Expected rows for {self.label}; got {value!r}.")
        found: list[dict[str, Any]] = []
        for place, row in enumerate(value, 1):
            name = " ".join(str(row.get(NAME, "")).split())
            if not name:
                raise InvalidValue(f"Row {place} of {self.label} needs a name.")
            if any(other[NAME].lower() == name.lower() for other in found):
                raise InvalidValue(f"{name} is listed twice in {self.label}; give each row a name of its own.")
            found.append({NAME: name, **{column.key: self._cell(column, row, name, model) for column in self.columns}})
        return tuple(found)

    @staticmethod
    def _cell(column: "Setting", row: Mapping[str, Any], name: str, model: Model) -> Any:
        value = row.get(column.key)
        if value in (None, ""):
            if column.is_required:
                raise InvalidValue(f"{name} needs {column.label}.")
            if column.kind is SettingKind.SERIES and column.default is not None:
                return read_rule(RULES, column.default)
            return column.default
        try:
            return column.checked(value, model)
        except WideforkError as fault:
            raise InvalidValue(f"{name}: {getattr(fault, 'sentence', fault)}") from fault

    def _lines(self, value: Any, model: Model) -> tuple[Line, ...]:
        if not isinstance(value, list | tuple) or not value:
            raise InvalidValue(f"Expected a list of lines for {self.label}; got {value!r}.")
        return tuple(model.line(str(name)) for name in dict.fromkeys(value))


def choices(**words: str) -> tuple[tuple[str, str], ...]:
    """Return the words of a choice, each with what the page calls it."""
    return tuple(words.items())


COST_CAPTIONS = choices(
    cost_of_sales="Cost of sales",
    people_costs="People",
    premises_costs="Premises",
    marketing_costs="Marketing",
    administration_costs="Administration",
)
"""Where a schedule may charge a cost."""
