"""What a schedule is, and the draft it writes its lines through."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from widefork.core.axes import Month
from widefork.core.errors import InvalidModel, InvalidValue, WideforkError
from widefork.core.graph.model import Model, ScheduleSettings
from widefork.core.lines import BALANCE, Line, LineSource, Rollup
from widefork.core.rules import RULES, Rule, read_rule


class SettingKind(StrEnum):
    """What a setting holds."""

    SERIES = "a number or an entry rule; becomes an assumption of its own"
    AMOUNT = "an amount"
    AMOUNTS = "a list of amounts, latest last"
    WHOLE = "a whole number from 1"
    MONTH = "a month"
    LINES = "a list of lines"
    CHOICE = "one of a few words"


@dataclass(frozen=True)
class Setting:
    """One setting of a schedule. Without a ``default`` it must be given."""

    key: str
    label: str
    kind: SettingKind
    unit: str = ""
    default: Any = None
    is_required: bool = False
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class Schedule:
    """A schedule's entry in the registry.

    Parameters
    ----------
    name : str. Its kind in the open text format.
    summary : str. One sentence for help.
    write : writes the lines into a draft.
    """

    name: str
    label: str
    summary: str
    settings: tuple[Setting, ...]
    write: Callable[["Draft"], None]


_FLOW = Rollup()


@dataclass
class Draft:
    """The lines a schedule is writing."""

    schedule: Schedule
    given: ScheduleSettings
    model: Model
    lines: list[Line] = field(default_factory=list)

    def name(self, part: str) -> str:
        """Return the full name of one of the schedule's lines."""
        return f"{self.given.name}_{part}"

    def value(self, key: str) -> Any:
        """Return a checked setting; raise InvalidModel naming it."""
        setting = next(s for s in self.schedule.settings if s.key == key)
        place = f"schedules/{self.given.name}/{key}"
        if key not in self.given.settings:
            if setting.is_required:
                raise InvalidModel(f"{self.schedule.label} needs {setting.label}: {setting.kind.value}.", place)
            return setting.default
        try:
            return _checked(setting, self.given.settings[key], self.model)
        except WideforkError as fault:
            raise InvalidModel(getattr(fault, "sentence", str(fault)), place) from fault

    def has(self, key: str) -> bool:
        """Return whether a setting was given."""
        return key in self.given.settings

    def assume(self, key: str, note: str = "") -> str:
        """Write the assumption a series setting becomes; return its name."""
        setting = next(s for s in self.schedule.settings if s.key == key)
        rule: Rule = self.value(key)
        unit = setting.unit.replace("CUR", self.model.currency)
        self._add(
            key,
            f"{self.given.label}: {setting.label}",
            unit,
            Rollup.default(unit),
            rules={(): rule},
            note=note,
        )
        return self.name(key)

    def calculate(
        self, part: str, label: str, formula: str, posts_to: str = "", rollup: Rollup = _FLOW, **more: Any
    ) -> str:
        """Write a calculated line in currency, a flow unless told otherwise; return its name."""
        label, unit = f"{self.given.label}: {label}", self.model.currency
        self._add(part, label, unit, rollup, formula=formula, posts_to=posts_to, **more)
        return self.name(part)

    def balance(self, part: str, label: str, formula: str, posts_to: str, opening: float, **more: Any) -> str:
        """Write a balance, read at a period's end; return its name."""
        self._add(
            part,
            f"{self.given.label}: {label}",
            self.model.currency,
            BALANCE,
            formula=formula,
            posts_to=posts_to,
            opening=opening,
            **more,
        )
        return self.name(part)

    def _add(self, part: str, label: str, unit: str, rollup: Rollup, **more: Any) -> None:
        self.lines.append(
            Line(
                self.name(part),
                label,
                unit,
                section=self.given.name,
                rollup=rollup,
                source=LineSource(self.given.name, part),
                **more,
            )
        )


def _checked(setting: Setting, value: Any, model: Model) -> Any:
    match setting.kind:
        case SettingKind.SERIES:
            return read_rule(RULES, value)
        case SettingKind.AMOUNT:
            return _amount(setting, value)
        case SettingKind.AMOUNTS:
            if not isinstance(value, list | tuple):
                raise InvalidValue(f"Expected a list of amounts for {setting.label}; got {value!r}.")
            return tuple(_amount(setting, entry) for entry in value)
        case SettingKind.WHOLE:
            if isinstance(value, bool) or not isinstance(value, int) or value < 1:
                raise InvalidValue(f"Expected a whole number from 1 for {setting.label}; got {value!r}.")
            return value
        case SettingKind.MONTH:
            return Month.parse(str(value))
        case SettingKind.CHOICE:
            if value not in setting.choices:
                raise InvalidValue(f"Expected one of {', '.join(setting.choices)} for {setting.label}; got {value!r}.")
            return value
    return _lines(setting, value, model)


def _amount(setting: Setting, value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise InvalidValue(f"Expected an amount for {setting.label}; got {value!r}.")
    return float(value)


def _lines(setting: Setting, value: Any, model: Model) -> tuple[Line, ...]:
    if not isinstance(value, list | tuple) or not value:
        raise InvalidValue(f"Expected a list of lines for {setting.label}; got {value!r}.")
    return tuple(model.line(str(name)) for name in value)


def summed(lines: Sequence[Line]) -> str:
    """Return the formula that adds lines up, members taken together; ``0`` for none."""
    return " + ".join(f"sum_over({line.name})" if line.dimensions else line.name for line in lines) or "0"
