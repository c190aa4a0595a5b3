"""The model: everything a company's plan is made of, immutable."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from itertools import product
from typing import Any

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes import ByAge, Case, Change, Family, Layer, Move, Sketch, Step, all_layers, resolve
from widefork.core.closing import NOT_GIVEN, Closing, closed_series
from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.figures import Figure
from widefork.core.flags import Flag
from widefork.core.goals import PinnedGoal
from widefork.core.history import History
from widefork.core.language.units import UnitForm
from widefork.core.lines import Line, MemberKey, Section
from widefork.core.liquidity import Liquidity
from widefork.core.look import PlausibleRange
from widefork.core.spreads import Correlation, SpreadSetting


@dataclass(frozen=True)
class ScheduleSettings:
    """A schedule as the user set it: its lines are generated from this, never stored.

    Parameters
    ----------
    kind : str. Name in the registry of schedules.
    name : str. Starts the names of its lines.
    settings : by key, as the kind declares them.
    """

    kind: str
    name: str
    label: str
    settings: Mapping[str, Any]


@dataclass(frozen=True)
class OwnRow:
    """A row of the user's own under a caption of the statements; lines post to it like to a caption."""

    name: str
    label: str
    within: str


@dataclass(frozen=True)
class StatementSettings:
    """How the statements are laid out; the figures do not depend on it.

    Parameters
    ----------
    layout : name in the registry of layouts. labels : other names for captions.
    rows : rows of the user's own. order : rows beside one another that stand in another order than usual.
    """

    layout: str = "classic"
    labels: Mapping[str, str] = field(default_factory=dict)
    rows: tuple[OwnRow, ...] = ()
    order: tuple[str, ...] = ()


class Rhythm(StrEnum):
    """In which months a limit is tested."""

    MONTH = "every month"
    QUARTER = "every quarter's end"
    YEAR = "every fiscal year's end"


@dataclass(frozen=True)
class Limit:
    """Between what a line must lie, on which dates.

    Parameters
    ----------
    name, label : as shown. line : any line, a ratio for a covenant.
    least, most : in the line's unit; None is open. first : tested from here on; None for the first plan month.
    is_covenant : agreed with a lender, and so shown with its headroom.

    Raises
    ------
    InvalidModel: neither bound, or the least above the most.
    """

    name: str
    label: str
    line: str
    least: float | None = None
    most: float | None = None
    tested: Rhythm = Rhythm.MONTH
    first: Month | None = None
    is_covenant: bool = False
    note: str = ""

    def __post_init__(self) -> None:
        place = f"limits/{self.name}"
        if self.least is None and self.most is None:
            raise InvalidModel(f"{self.label} needs a least or a most amount.", place)
        if self.least is not None and self.most is not None and self.least > self.most:
            raise InvalidModel(f"{self.label}: the least, {self.least:g}, is above the most, {self.most:g}.", place)


@dataclass(frozen=True)
class Profile:
    """A curve by age in months; the last value holds for all older ages."""

    name: str
    label: str
    values: tuple[float, ...]


@dataclass(frozen=True)
class Model:
    """One company's operating model.

    Parameters
    ----------
    name : str. One currency: ``currency``, as shown in units ("EUR").
    lines : the user's lines, or after assembly all lines, in reading order.
    opening_balances : by balance-sheet caption, as at the month before the start; natural sign.
    cases : the root first. moves : bundles of changes any case can switch on.
    flags : the modeller's own flags and counters.
    statements : how the statements are laid out. limits : covenants and checks of the user's own.
    closings : what the books said at the end of months closed.
    liquidity : how the Waterline reads cash.
    not_ours : usual outgoings this company does not have, by label; nobody is asked about them again.
    units : units spelled or shown otherwise than usual.
    ranges : between what lines that a schedule writes may plausibly lie; the user's own lines say it themselves.
    spreads : how lines are drawn at random, where that is not as usual. correlations : which of them go together.
    goals : what figures are to be in some case, asked again whenever the plan changes.
    histories : what happened before the plan and beside it, of lines by member and of what no line is for.
    sketch : changes being tried on top of one case; never stored with the model.
    archived : cases laid aside, parents anywhere: kept and checked, but neither computed nor shown.

    Raises
    ------
    InvalidModel: the same name used twice, an unknown section or dimension, no case.
    """

    name: str
    currency: str
    timeline: Timeline
    dimensions: tuple[Dimension, ...] = ()
    sections: tuple[Section, ...] = ()
    lines: tuple[Line, ...] = ()
    profiles: tuple[Profile, ...] = ()
    schedules: tuple[ScheduleSettings, ...] = ()
    opening_balances: Mapping[str, float] = field(default_factory=dict)
    cases: tuple[Case, ...] = (Case("base", "Base"),)
    figures: tuple[Figure, ...] = ()
    moves: tuple[Move, ...] = ()
    flags: tuple[Flag, ...] = ()
    statements: StatementSettings = field(default_factory=StatementSettings)
    limits: tuple[Limit, ...] = ()
    closings: tuple[Closing, ...] = ()
    liquidity: Liquidity = field(default_factory=Liquidity)
    not_ours: tuple[str, ...] = ()
    units: tuple[UnitForm, ...] = ()
    ranges: Mapping[str, PlausibleRange] = field(default_factory=dict)
    spreads: tuple[SpreadSetting, ...] = ()
    correlations: tuple[Correlation, ...] = ()
    goals: tuple[PinnedGoal, ...] = ()
    histories: tuple[History, ...] = ()
    sketch: Sketch | None = None
    archived: tuple[Case, ...] = ()

    def __post_init__(self) -> None:
        self._check_unique("line", [line.name for line in self.lines])
        self._check_unique("name", [*self.dimension_by_name, *(p.name for p in self.profiles)])
        self._check_unique("case", [case.name for case in self.family.cases])
        self._check_unique("figure", [figure.name for figure in self.figures])
        self._check_unique("move", [*self.move_by_name, *(c.name for c in self.all_changes if c.name)])
        self._check_unique("spread", [setting.name for setting in self.spreads])
        self._check_unique("unit", [unit.many for unit in self.units])
        self._check_unique("goal", [goal.name for goal in self.goals])
        self._check_unique("history", [history.name for history in self.histories])
        self._check_unique("flag", [flag.name for flag in self.flags])
        self._check_unique("limit", [limit.name for limit in self.limits])
        self._check_unique("closing", [str(closing.month) for closing in self.closings])
        self._check_unique("schedule", [schedule.name for schedule in self.schedules])
        if not self.cases or self.cases[0].parent is not None:
            raise InvalidModel("A model's first case is its root and has no parent.", "cases")
        for dimension in self.dimensions:
            self._check_mappings(dimension)
        sections = {section.name for section in self.sections}
        for line in self.lines:
            if line.section not in sections:
                sentence = UnknownName("section", line.section, sections).sentence
                raise InvalidModel(sentence, f"lines/{line.name}/section")
            self._check_members(line)
        for setting in self.spreads:
            self._check_named(setting.members, f"spreads/{setting.line}")
        for history in self.histories:
            self._check_named(history.members, f"histories/{history.line}")
        self._check_moves()
        for goal in self.goals:
            self.figure(goal.figure)
            if all(case.name != goal.case for case in self.family.cases):
                raise UnknownName("case", goal.case, [case.name for case in self.family.cases])
        for case in self.cases:
            if case.parent is not None and case.parent not in self.case_by_name:
                raise UnknownName("case", case.parent, self.case_by_name)
        _ = self._layers  # worked out here, so that what cannot be is refused here
        self._check_curves()

    def _check_unique(self, kind: str, names: list[str]) -> None:
        if len(set(names)) == len(names):
            return
        for name in names:
            if names.count(name) > 1:
                raise InvalidModel(f"The {kind} {name} appears twice; names are used once.", f"{kind}s/{name}")

    def _check_moves(self) -> None:
        """No case switches on two moves that exclude one another, and moves aim at figures there are."""
        figures = [figure.name for figure in self.figures]
        for move in self.moves:
            for aim in move.aims:
                if aim.figure not in figures:
                    raise InvalidModel(UnknownName("figure", aim.figure, figures).sentence, f"moves/{move.name}/aims")
        groups = {move.name: move.group for move in self.moves if move.group}
        for case in self.family.cases if groups else ():
            taken: dict[str, str] = {}
            for switch in case.switches:
                group = groups.get(switch.move, "")
                other = taken.setdefault(group, switch.move) if group else switch.move
                if other != switch.move:
                    one, two = (self.move_by_name[name].label for name in (other, switch.move))
                    said = f"{case.label} switches on {one} and {two}, of which only one can be on ({group})."
                    raise InvalidModel(f"{said} Take one of them out.", f"cases/{case.name}")

    def _check_curves(self) -> None:
        """Changes that run along a profile hold its curve."""
        curves = {profile.name: profile.values for profile in self.profiles}
        for change in self.all_changes:
            if isinstance(change.course, ByAge) and curves.get(change.course.profile) != change.course.curve:
                sentence = UnknownName("profile", change.course.profile, curves).sentence
                raise InvalidModel(sentence, f"changes/{change.line}")

    def _check_mappings(self, dimension: Dimension) -> None:
        for other in self.dimensions:
            mapping = dimension.mapping(other.name)
            place = f"dimensions/{dimension.name}"
            for member, target in mapping.items():
                if target not in other.members:
                    sentence = UnknownName(f"member of {other.name}", target, other.members).sentence
                    raise InvalidModel(sentence, f"{place}/{member}")
            missing = [member for member in dimension if mapping and member not in mapping]
            if missing:
                raise InvalidModel(f"{', '.join(missing)} have no {other.name}; say which one each belongs to.", place)

    def _check_members(self, line: Line) -> None:
        if not line.dimensions:
            return
        for name in line.dimensions:
            if name not in self.dimension_by_name:
                sentence = UnknownName("dimension", name, self.dimension_by_name).sentence
                raise InvalidModel(sentence, f"lines/{line.name}/over")
        for key in [*line.rules, *line.actuals, *line.absent]:
            for name, member in zip(line.dimensions, key, strict=False):
                if member not in self.dimension_by_name[name].members:
                    sentence = UnknownName(f"member of {name}", member, self.dimension_by_name[name].members).sentence
                    raise InvalidModel(sentence, f"lines/{line.name}")

    def _check_named(self, members: Sequence[tuple[str, str]], place: str) -> None:
        """Members named by their dimensions are there."""
        for name, member in members:
            if name not in self.dimension_by_name:
                raise InvalidModel(UnknownName("dimension", name, self.dimension_by_name).sentence, place)
            known = self.dimension_by_name[name].members
            if member not in known:
                raise InvalidModel(UnknownName(f"member of {name}", member, known).sentence, place)

    @cached_property
    def line_by_name(self) -> Mapping[str, Line]:
        """Lines by name."""
        return {line.name: line for line in self.lines}

    @cached_property
    def dimension_by_name(self) -> Mapping[str, Dimension]:
        """Dimensions by name."""
        return {dimension.name: dimension for dimension in self.dimensions}

    @cached_property
    def case_by_name(self) -> Mapping[str, Case]:
        """Cases by name."""
        return {case.name: case for case in self.cases}

    @cached_property
    def family(self) -> Family:
        """All cases as a family, archived ones behind the others."""
        return Family((*self.cases, *self.archived), self.move_by_name)

    @cached_property
    def move_by_name(self) -> Mapping[str, Move]:
        """Moves by name."""
        return {move.name: move for move in self.moves}

    @cached_property
    def _layers(self) -> Mapping[str, tuple[Layer, ...]]:
        """The steps of every case, archived ones too, without the sketch."""
        return all_layers(self.family.by_name, self.move_by_name)

    @cached_property
    def _changes(self) -> Mapping[str, tuple[Change, ...]]:
        """The changes of every case that is computed, with the sketch; the same objects whenever they are asked for."""
        stacks = self._layers if self.sketch is None else all_layers(self._sketched_cases, self.move_by_name)
        return {case: tuple(change for layer in stacks[case] for change in layer.changes) for case in self.case_by_name}

    @property
    def _sketched_cases(self) -> Mapping[str, Case]:
        """All cases by name, the one with the sketch as if it were kept."""
        if self.sketch is None:
            return self.case_by_name
        sketched = self.sketch.kept_in_case(self.case(self.sketch.case))
        return {**self.case_by_name, sketched.name: sketched}

    @cached_property
    def closed(self) -> Mapping[str, tuple[float, ...]]:
        """What the books say by generated line or caption, one value for each actual month, NaN where nothing."""
        return closed_series(self.closings, self.timeline)

    @cached_property
    def early_values(self) -> Mapping[str, Mapping[MemberKey, tuple[float, ...]]]:
        """By line that has a monthly history, and by member, its months before the first one, latest last.

        As they came: no step is taken on them. All members have as many. What is not known of a month, the line's own
        early values say, and before those its opening value.
        """
        known: dict[str, dict[MemberKey, tuple[float, ...]]] = {}
        for history in self.histories:
            line, months = self.line_by_name.get(history.line), history.before(self.timeline.start)
            at = dict(history.members)
            if line is not None and months and set(at) == set(line.dimensions):
                known.setdefault(line.name, {})[tuple(at[name] for name in line.dimensions)] = months
        return {name: self._early(self.line_by_name[name], months) for name, months in known.items()}

    def _early(self, line: Line, known: Mapping[MemberKey, tuple[float, ...]]) -> Mapping[MemberKey, tuple[float, ...]]:
        longest = max(len(line.history), *map(len, known.values()))
        usual = (line.opening,) * (longest - len(line.history)) + line.history
        keys = product(*(dimension.members for dimension in self.dimensions_of(line)))
        nothing = (0.0,) * longest
        return {key: nothing if key in line.absent else _laid_over(usual, known.get(key, ())) for key in keys}

    @property
    def flag_names(self) -> frozenset[str]:
        """Names of the modeller's own flags and counters."""
        return frozenset(flag.name for flag in self.flags)

    @cached_property
    def all_changes(self) -> tuple[Change, ...]:
        """Every change written down, in cases and in moves."""
        in_cases = [change for case in self.family.cases for change in case.changes]
        return (*in_cases, *(change for move in self.moves for change in move.changes))

    def line(self, name: str) -> Line:
        """Return a line; raise UnknownName with the nearest ones."""
        try:
            return self.line_by_name[name]
        except KeyError:
            raise UnknownName("line", name, self.line_by_name) from None

    def case(self, name: str) -> Case:
        """Return a case; raise UnknownName."""
        try:
            return self.case_by_name[name]
        except KeyError:
            raise UnknownName("case", name, self.case_by_name) from None

    def figure(self, name: str) -> Figure:
        """Return a figure; raise UnknownName."""
        for figure in self.figures:
            if figure.name == name:
                return figure
        raise UnknownName("figure", name, [figure.name for figure in self.figures])

    def changes_of(self, case: str) -> tuple[Change, ...]:
        """Return all changes of a case, from the root down; a sketch on it or on a forebear is as if kept."""
        if case not in self._changes:
            raise UnknownName("case", case, self._changes)
        return self._changes[case]

    def changes_with(self, case: str, steps: Sequence[Step]) -> tuple[Change, ...]:
        """Return all changes of a case with some steps taken last, those of the sketch included."""
        cases = self._sketched_cases
        return resolve({**cases, case: cases[case].followed_by(steps)}, self.move_by_name, case)

    def layers_of(self, case: str) -> tuple[Layer, ...]:
        """Return the steps of a case in the order they apply, inherited ones first; without the sketch."""
        return self._layers[self.case(case).name]

    def keys_of(self, line: Line) -> tuple[tuple[str, ...], ...]:
        """Return the combinations of members a line has, those left out that do not exist; ((),) without dimensions."""
        keys = product(*(dimension.members for dimension in self.dimensions_of(line)))
        return tuple(key for key in keys if key not in line.absent)

    def absent_members(self, line: Line) -> tuple[tuple[int, ...], ...]:
        """Return the places, along the line's dimensions, of combinations that do not exist."""
        dimensions = self.dimensions_of(line)
        return tuple(tuple(d.index(m) for d, m in zip(dimensions, key, strict=True)) for key in line.absent)

    def dimensions_of(self, line: Line) -> tuple[Dimension, ...]:
        """Return the dimensions a line is spread over, in the line's order."""
        return tuple(self.dimension_by_name[name] for name in line.dimensions)


def _laid_over(usual: tuple[float, ...], months: tuple[float, ...]) -> tuple[float, ...]:
    """The latest months as known, all others as usual."""
    known = (NOT_GIVEN,) * (len(usual) - len(months)) + months
    return tuple(own if other != other else other for own, other in zip(usual, known, strict=True))
