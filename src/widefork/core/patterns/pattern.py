"""What a pattern is: it asks, writes ordinary lines once, and from then on they are the user's."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from widefork.core.axes import Dimension
from widefork.core.errors import InvalidModel, InvalidValue, UnknownName, WideforkError
from widefork.core.finance.schedules.setting import Setting, SettingKind, choices
from widefork.core.graph.model import Limit, Model, Profile, ScheduleSettings
from widefork.core.language.printing import write_member
from widefork.core.language.units import PLAIN, read_unit
from widefork.core.lines import BALANCE, NO_TOTAL, Line, OverMembers, OverTime, PartRollups, Rollup, with_rollups
from widefork.core.rules import RULES, Rule, read_rule

FROM_LINE, AT_MEMBER, SHARE = "line", "at", "share"
"""A series' answer that is ``{"line": name}`` reads a line already there; with ``{"at": member}`` one member of it, and
with ``{"share": 0.12}`` so much of it, which becomes an assumption."""
BY = "by"
"""The answer that spreads a pattern's lines over a dimension; empty for none."""


WHOLE = Setting("whole", "whole ones only", SettingKind.CHOICE, default="no",
                choices=choices(no="no, fractions are fine", yes="yes"))  # fmt: skip
"""Asked where people or things are counted: their flows are rounded so that nothing gets lost over time."""


@dataclass(frozen=True)
class Pattern:
    """A pattern's entry in the registry.

    Parameters
    ----------
    name : in addresses and tests. label : a heading. summary : one sentence.
    questions : what it asks, in order; the answers are as those of a schedule.
    write : writes the lines into a draft.
    example : answers of a small one. shows : parts whose course the preview draws, the first one above all.
    spreads : its lines may be spread over a dimension. group : the heading it is listed under.
    rollups : how parts are rolled up that neither add up nor are the ratio of two; by the part that weighs them.
    """

    name: str
    label: str
    summary: str
    questions: tuple[Setting, ...]
    write: Callable[["PatternDraft"], None]
    example: Mapping[str, Any]
    shows: tuple[str, ...]
    spreads: bool = False
    group: str = "Ways of selling"
    rollups: PartRollups = field(default_factory=dict)

    def question(self, key: str) -> Setting:
        """Return a question by its key."""
        return next(question for question in self.questions if question.key == key)


@dataclass(frozen=True)
class LineRead:
    """A line already there that answers a question: all of it or a share, or of one member of a dimension of it."""

    line: Line
    member: str = ""
    dimension: str = ""
    share: float | None = None


@dataclass
class PatternDraft:
    """What a pattern writes, given a model and answers.

    Parameters
    ----------
    prefix : begins the names of its lines, and is the name of their section. label : the section's.
    lines, profiles, schedules, limits, dimensions : what was written so far.
    notices : what the user should know, in sentences.
    """

    pattern: Pattern
    model: Model
    prefix: str
    label: str
    answers: Mapping[str, Any]
    lines: list[Line] = field(default_factory=list)
    profiles: list[Profile] = field(default_factory=list)
    schedules: list[ScheduleSettings] = field(default_factory=list)
    limits: list[Limit] = field(default_factory=list)
    dimensions: list[Dimension] = field(default_factory=list)
    notices: list[str] = field(default_factory=list)

    @property
    def over(self) -> tuple[str, ...]:
        """The dimensions its lines are spread over."""
        chosen = self.answers.get(BY, "")
        if not chosen or not self.pattern.spreads:
            return ()
        if chosen not in self.model.dimension_by_name:
            known = ", ".join(self.model.dimension_by_name) or "there is none yet"
            raise InvalidModel(f"Expected one of {known} to spread it over; got “{chosen}”.", BY)
        return (chosen,)

    def name(self, part: str) -> str:
        """Return the full name of one of its lines."""
        return f"{self.prefix}_{part}"

    def has(self, key: str) -> bool:
        """Return whether a question was answered."""
        return key in self.answers

    def value(self, key: str) -> Any:
        """Return a checked answer, the usual one where none was given; raise InvalidModel naming the question."""
        question = self.pattern.question(key)
        if key not in self.answers:
            if question.is_required:
                verb = "are" if question.kind is SettingKind.ROWS else "is"
                raise InvalidModel(f"{question.label.capitalize()} {verb} needed.", key)
            is_series = question.kind is SettingKind.SERIES and question.default is not None
            return read_rule(RULES, question.default) if is_series else question.default
        given = self.answers[key]
        try:
            if question.kind is SettingKind.SERIES and isinstance(given, Mapping) and FROM_LINE in given:
                return self._line_read(given)
            return question.checked(given, self.model)
        except WideforkError as fault:
            raise InvalidModel(getattr(fault, "sentence", str(fault)), key) from fault

    def rule(self, key: str) -> Rule:
        """Return a series' answer where only a number or a rule will do; raise InvalidModel where it reads a line."""
        answer = self.value(key)
        if isinstance(answer, LineRead):
            raise self.refuse(
                f"{answer.line.label} cannot be read here, where it would differ by tier, kind or year; give a number "
                "or a rule.",
                key,
            )
        found: Rule = answer
        return found

    def refuse(self, sentence: str, key: str) -> InvalidModel:
        """Return the error to raise about an answer."""
        return InvalidModel(sentence, key)

    def counted(self, key: str = "counted") -> tuple[str, str]:
        """Return what is counted, many and one: “kits” and “kit”."""
        many = " ".join(str(self.value(key)).lower().split()) or "units"
        if not many.replace(" ", "").isalpha():
            raise InvalidModel(f"What is counted is a word, such as kits; got “{many}”.", key)
        return many, many.removesuffix("s") or many

    def assume(self, key: str, unit: str, spread: bool = True, rollup: Rollup | None = None) -> str:
        """Write the assumption a question's answer becomes, or the line that reads another; return its name."""
        answer: Rule | LineRead = self.value(key)
        question = self.pattern.question(key)
        if isinstance(answer, LineRead):
            return self._read_line(key, question.label, unit, answer, self.over if spread else ())
        over = self.over if spread else ()
        self._add(key, question.label, unit, rollup or Rollup.default(self._unit(unit)), over, rules={(): answer})
        return self.name(key)

    def assume_each(
        self, part: str, label: str, unit: str, rules: Mapping[Any, Any], over: tuple[str, ...], **more: Any
    ) -> str:
        """Write an assumption with a rule, or its document, for each member; return its name."""
        read = {k: read_rule(RULES, rule) if isinstance(rule, int | float) else rule for k, rule in rules.items()}
        rollup = more.pop("rollup", None) or Rollup.default(self._unit(unit))
        self._add(part, label, unit, rollup, over, rules=read, **more)
        return self.name(part)

    def members(
        self, part: str, label: str, names: Sequence[str], attributes: Mapping[str, Mapping[str, Any]] | None = None
    ) -> str:
        """Write a dimension of the pattern's own; return its name."""
        self.dimensions.append(Dimension(self.name(part), tuple(names), f"{self.label}: {label}", attributes or {}))
        return self.name(part)

    def _line_read(self, given: Mapping[str, Any]) -> LineRead:
        line, member = self.model.line(str(given[FROM_LINE])), str(given.get(AT_MEMBER, ""))
        within = [d for d in self.model.dimensions_of(line) if member in d.members]
        if member and not within:
            known = [one for d in self.model.dimensions_of(line) for one in d.members]
            raise UnknownName(f"member of {line.label}", member, known)
        share = given.get(SHARE)
        if share is not None and (isinstance(share, bool) or not isinstance(share, int | float) or share != share):
            raise InvalidValue(f"A share of {line.label} is a number; got {share!r}.")
        return LineRead(line, member, within[0].name if within else "", share)

    def _read_line(self, key: str, label: str, unit: str, read: LineRead, over: tuple[str, ...]) -> str:
        """A line that reads another one; where it counts something else, by so many for each."""
        line = read.line
        formula = f"{line.name} at {write_member(read.member)}" if read.member else line.name
        foreign = [name for name in line.dimensions if name not in (*over, read.dimension)]
        if foreign and line.rollup.over_members is not OverMembers.SUM:
            raise InvalidModel(
                f"{line.label} is spread over {', '.join(foreign)} and does not add up over it; choose another line.",
                key,
            )
        if foreign:
            formula = f"sum_over({formula}, {', '.join(foreign)})"
        wanted, has = read_unit(self._unit(unit)), read_unit(line.unit)
        if wanted not in (has, PLAIN) and has != PLAIN:
            if "/" in unit or "/" in line.unit or unit.startswith("%"):
                raise InvalidModel(
                    f"{line.label} is in {line.unit or 'plain numbers'}; {label} is in {self._unit(unit)}.", key
                )
            each = f"% {self._unit(unit)}/{line.unit.removesuffix('s')}"
            one = {(): 1.0 if read.share is None else read.share}
            share = self.assume_each(f"{key}_each", f"{label}, for each of {line.label.lower()}", each, one, ())
            formula = f"{formula} * {share}"
        elif read.share is not None:
            part = self.assume_each(f"{key}_share", f"{label}, share of {line.label}", "%", {(): read.share}, ())
            formula = f"{formula} * {part}"
        adds_up = line.rollup.over_time in (OverTime.SUM, OverTime.END, OverTime.START)
        rollup = Rollup(line.rollup.over_time, OverMembers.SUM) if adds_up else NO_TOTAL
        self._add(key, label, unit, rollup, over, formula=formula)
        return self.name(key)

    def calculate(self, part: str, label: str, unit: str, formula: str, posts_to: str = "", **more: Any) -> str:
        """Write a calculated line; return its name."""
        rollup = more.pop("rollup", None) or Rollup.default(self._unit(unit))
        over = more.pop("over", self.over)
        self._add(part, label, unit, rollup, over, formula=formula, posts_to=posts_to, **more)
        return self.name(part)

    def balance(self, part: str, label: str, unit: str, formula: str, opening: float = 0.0, **more: Any) -> str:
        """Write a balance, read at a period's end; return its name."""
        return self.calculate(part, label, unit, formula, rollup=BALANCE, opening=opening, **more)

    def ratio(self, part: str, label: str, unit: str, above: str, below: str, **more: Any) -> str:
        """Write a ratio of two lines, 0 where the lower one is; a year's is that of the year's sums."""
        rollup = Rollup(OverTime.RATIO, OverMembers.RATIO, above, below)
        return self.calculate(part, label, unit, f"if {below} = 0 then 0 else {above} / {below}", rollup=rollup, **more)

    def whole(self, flow: str, most: str = "") -> str:
        """Return a flow in whole numbers where the question “whole” says so; never more than ``most``."""
        flow = f"whole_flow({flow})" if self.value("whole") == "yes" else flow
        return f"min({most}, {flow})" if most else flow

    def profile(self, part: str, label: str, values: tuple[float, ...]) -> str:
        """Write a curve by age; return its name."""
        self.profiles.append(Profile(self.name(part), f"{self.label}: {label}", values))
        return self.name(part)

    def schedule(self, kind: str, part: str, label: str, **settings: Any) -> None:
        """Write a schedule, such as prepaid billing."""
        self.schedules.append(ScheduleSettings(kind, self.name(part), f"{self.label}: {label}", settings))

    def _unit(self, unit: str) -> str:
        return unit.replace("CUR", self.model.currency)

    def _add(self, part: str, label: str, unit: str, rollup: Rollup, over: tuple[str, ...], **more: Any) -> None:
        self.lines.append(
            Line(
                self.name(part),
                f"{self.label}: {label}",
                self._unit(unit),
                section=self.prefix,
                dimensions=over,
                rollup=rollup,
                **more,
            )
        )


def write_pattern(pattern: Pattern, model: Model, prefix: str, label: str, answers: Mapping[str, Any]) -> PatternDraft:
    """Return what a pattern writes for answers.

    Parameters
    ----------
    model : with all its lines. prefix : a name no section and no line begins with. answers : by question.

    Raises
    ------
    InvalidModel: an answer that is missing or wrong; its place is the question's key. InvalidValue: an unknown answer.
    """
    known = [question.key for question in pattern.questions]
    unknown = set(answers) - {*known, BY}
    if unknown:
        raise InvalidValue(f"{pattern.label} asks no “{sorted(unknown)[0]}”; it asks {', '.join(known)}.")
    draft = PatternDraft(pattern, model, prefix, label, answers)
    for key in answers:
        if key != BY:
            draft.value(key)  # also of those that are not used as things stand
    pattern.write(draft)
    draft.lines = with_rollups(draft.lines, prefix, pattern.rollups)
    return draft
