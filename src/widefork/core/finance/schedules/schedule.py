"""What a schedule is, and the draft it writes its lines through."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from widefork.core.axes import Dimension, Month
from widefork.core.errors import InvalidModel, WideforkError
from widefork.core.finance.schedules.book import Book
from widefork.core.finance.schedules.setting import Role, Setting, SettingKind
from widefork.core.graph.model import Model, ScheduleSettings
from widefork.core.lines import BALANCE, Line, LineSource, MemberKey, OverMembers, PartRollups, Rollup
from widefork.core.rules import RULES, Rule, read_rule


@dataclass(frozen=True)
class Schedule:
    """A schedule's entry in the registry.

    Parameters
    ----------
    name : str. Its kind in the open text format.
    group : str. The part of the Terms page it stands in.
    summary : str. One sentence for help.
    settings : what it asks for. write : writes the lines into a draft.
    example : settings of a small one, as a file gives them; lines are called sales and costs.
    words : its terms as a short phrase, such as “47 days after the invoice”.
    attributes : for a kind with a register, what each member says of itself.
    attribute_of : by part, the setting that names the register and the attribute its line is; a part that is not here
        is the attribute of its own name.
    rollups : how parts are rolled up that neither add up nor are the ratio of two; by the part that weighs them.
    """

    name: str
    label: str
    group: str
    summary: str
    settings: tuple[Setting, ...]
    write: Callable[["Draft"], None]
    example: Mapping[str, Any] = field(default_factory=dict)
    attributes: tuple[Setting, ...] = ()
    words: Callable[["Draft"], str] = lambda draft: ""
    attribute_of: Mapping[str, tuple[str, str]] = field(default_factory=dict)
    rollups: PartRollups = field(default_factory=dict)

    def setting(self, key: str) -> Setting:
        """Return a setting by its key."""
        return next(setting for setting in self.settings if setting.key == key)


@dataclass(frozen=True)
class Roll:
    """A balance and what moves it: names of lines; and the caption of the balance sheet it belongs to."""

    balance: str
    adds: tuple[str, ...]
    takes: tuple[str, ...]
    caption: str = ""


@dataclass(frozen=True)
class Late:
    """How the unexplained movement of a month closed is settled in the months after it.

    Parameters
    ----------
    posts_to : caption the settlement posts to. formula : of the settlement, from the unexplained movement's name.
    """

    posts_to: str
    formula: Callable[[str], str] = lambda moved: f"before({moved})"
    label: str = "settled late"


_FLOW = Rollup()
_UNEXPLAINED = {
    **dict.fromkeys(("property_and_equipment", "intangible_assets", "right_of_use_assets"), "unexplained_invested"),
    **dict.fromkeys(("loans", "leases"), "unexplained_borrowed"),
    **dict.fromkeys(
        ("receivables", "other_receivables", "inventory", "prepaid_costs", "other_current_assets", "other_long_assets"),
        "unexplained_paid",
    ),
}


def unexplained_under(caption: str) -> tuple[str, str]:
    """Return what an unexplained movement of a balance posts to, and the sign it has there."""
    if caption == "asset_grants":  # taken away from the assets: what it grows by was received
        return "unexplained_invested", "0 - "
    if caption == "deposits":  # the cash flow shows these from the balance itself
        return "", ""
    return _UNEXPLAINED.get(caption, "unexplained_received"), ""


def within_closed(model: Model, formula: str) -> str:
    """Return a formula that holds in actual months only and is 0 in the plan."""
    last = model.timeline.last_actual
    return f"if month <= {last.words} then {formula} else 0" if last is not None else "0"


@dataclass
class Draft:
    """The lines a schedule is writing.

    Parameters
    ----------
    book : which schedule settles, taxes or stocks which line.
    lines, rolls : what was written so far. notices : what the user should know of these settings, in sentences.
    """

    schedule: Schedule
    given: ScheduleSettings
    model: Model
    book: Book
    lines: list[Line] = field(default_factory=list)
    rolls: list[Roll] = field(default_factory=list)
    notices: list[str] = field(default_factory=list)

    def is_closed(self, part: str) -> bool:
        """Return whether the books say what one of the schedule's lines was in some month closed."""
        return self.name(part) in self.model.closed

    @property
    def place(self) -> str:
        """Where messages about this schedule belong."""
        return f"schedules/{self.given.name}"

    def name(self, part: str) -> str:
        """Return the full name of one of the schedule's lines."""
        return f"{self.given.name}_{part}"

    def value(self, key: str) -> Any:
        """Return a checked setting; raise InvalidModel naming it."""
        setting = self.schedule.setting(key)
        place = f"{self.place}/{key}"
        if key not in self.given.settings:
            if setting.is_required:
                raise InvalidModel(f"{self.schedule.label} needs {setting.label}: {setting.kind.value}.", place)
            return read_rule(RULES, setting.default) if setting.kind is SettingKind.SERIES else setting.default
        try:
            return setting.checked(self.given.settings[key], self.model)
        except WideforkError as fault:
            raise InvalidModel(getattr(fault, "sentence", str(fault)), place) from fault

    def has(self, key: str) -> bool:
        """Return whether a setting was given."""
        return key in self.given.settings

    def refuse(self, sentence: str, key: str = "") -> InvalidModel:
        """Return the error to raise about a setting, or about the schedule as a whole."""
        return InvalidModel(sentence, f"{self.place}/{key}" if key else self.place)

    def refuse_before_start(self, month: Month, key: str, instead: str) -> None:
        """Raise InvalidModel where a month lies before the model's first: what happened then is given as an opening."""
        start = self.model.timeline.start
        if month < start:
            label = self.schedule.setting(key).label.capitalize()
            raise self.refuse(f"{label}: {month.label} lies before the first month, {start.label}. {instead}", key)

    def lines_of(self, key: str) -> tuple[Line, ...]:
        """Return the lines a setting names; none where it was not given."""
        return self.value(key) or ()

    def first(self, key: str) -> float:
        """Return a series' value in the model's first month."""
        return self.at(key, 0)

    def at(self, key: str, place: int) -> float:
        """Return a series' value in a month by its place, as the root case's rule has it."""
        rule: Rule = self.value(key)
        return float(rule.values(self.model.timeline)[place])

    def shown(self, key: str) -> str:
        """Return a setting as a phrase may say it: a rule in its words, an amount grouped, a choice by its label."""
        setting, value = self.schedule.setting(key), self.value(key)
        if setting.kind is SettingKind.SERIES:
            return str(value.words(setting.shown)).removeprefix("flat ")
        if setting.kind is SettingKind.CHOICE:
            return dict(setting.choices)[value]
        return setting.shown(value) if isinstance(value, float) else str(getattr(value, "label", value))

    def assume(self, key: str, note: str = "", history: Sequence[float] = (), rollup: Rollup | None = None) -> str:
        """Write the assumption a series setting becomes, rolled up as its unit usually is; return its name."""
        setting = self.schedule.setting(key)
        unit = setting.unit.replace("CUR", self.model.currency)
        rules = {(): self.value(key)}
        label = setting.label
        usual = Rollup.default(unit)
        self._add(key, label, unit, rollup or usual, rules=rules, note=note, history=tuple(history))
        return self.name(key)

    def assume_each(
        self,
        part: str,
        label: str,
        unit: str,
        over: Dimension,
        amounts: Mapping[MemberKey, float],
        is_fixed: bool = False,
    ) -> str:
        """Write an assumption with one number for each member of a register; return its name.

        Parameters
        ----------
        is_fixed : it says how the member is built, and nobody varies it.
        """
        rules = {key: read_rule(RULES, amount) for key, amount in amounts.items()}
        usual = Rollup.default(unit)
        rollup = BALANCE if usual.over_members is OverMembers.SUM else usual
        self._add(part, label, unit, rollup, rules=rules, dimensions=(over.name,), is_fixed=is_fixed)
        return self.name(part)

    def assume_pairs(
        self, part: str, label: str, over: tuple[Dimension, Dimension], amounts: Mapping[MemberKey, float]
    ) -> str:
        """Write numbers that say how pairs of members belong together; return their line's name."""
        rules = {key: read_rule(RULES, amount) for key, amount in amounts.items()}
        names = tuple(dimension.name for dimension in over)
        self._add(part, label, "", BALANCE, rules=rules, dimensions=names, is_fixed=True)
        return self.name(part)

    def calculate(
        self, part: str, label: str, formula: str, posts_to: str = "", rollup: Rollup = _FLOW, **more: Any
    ) -> str:
        """Write a calculated line in currency, a flow unless told otherwise; return its name."""
        unit = more.pop("unit", self.model.currency)
        self._add(part, label, unit, rollup, formula=formula, posts_to=posts_to, **more)
        return self.name(part)

    def balance(
        self, part: str, label: str, formula: str, posts_to: str = "", opening: float = 0.0, **more: Any
    ) -> str:
        """Write a balance, read at a period's end; return its name."""
        return self.calculate(part, label, formula, posts_to, BALANCE, opening=opening, **more)

    def roll(
        self,
        part: str,
        label: str,
        posts_to: str,
        opening: float,
        adds: Sequence[str],
        takes: Sequence[str],
        late: Late | None = None,
        kept_under: str = "",
        **more: Any,
    ) -> str:
        """Write a balance that is its opening plus and less its movements; return its name.

        Parameters
        ----------
        late : how what the books left unexplained is settled afterwards; None where it stays, or settles by itself.
        kept_under : caption of the balance sheet it belongs to, where ``posts_to`` does not say.
        """
        name, unexplained = self.name(part), f"{part}_unexplained"
        is_closed, caption = self.is_closed(part), kept_under or posts_to
        if is_closed and late is not None:
            formula = late.formula(self.name(unexplained))
            takes = (*takes, self.calculate(f"{part}_late", late.label, formula, late.posts_to))
        formula = "".join((f"before({name})", *(f" + {flow}" for flow in adds), *(f" - {flow}" for flow in takes)))
        if is_closed:
            under, sign = unexplained_under(caption)
            moved = within_closed(self.model, f"{sign}({name} - ({formula}))")
            label_of_it = f"unexplained movement of {label}" if self.rolls else "unexplained movement"
            known = self.calculate(unexplained, label_of_it, moved, under)
            adds, takes = (adds, (*takes, known)) if sign else ((*adds, known), takes)
        self.rolls.append(Roll(name, tuple(adds), tuple(takes), caption))
        return self.balance(part, label, formula, posts_to, opening, **more)

    def _add(self, part: str, label: str, unit: str, rollup: Rollup, **more: Any) -> None:
        self.lines.append(
            Line(
                self.name(part),
                f"{self.given.label}: {label}",
                unit,
                section=self.given.name,
                rollup=rollup,
                source=LineSource(self.given.name, part),
                **more,
            )
        )


def named_lines(schedule: Schedule, given: ScheduleSettings) -> list[tuple[ScheduleSettings, Role, list[str]]]:
    """Return, for the book, the lines a schedule's settings name, as far as they can be read."""
    found = []
    for setting in schedule.settings:
        names = given.settings.get(setting.key)
        if setting.role is not None and isinstance(names, list | tuple):
            found.append((given, setting.role, [str(name) for name in names]))
    return found
