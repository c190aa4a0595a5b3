"""Rows to core objects: ids become names."""

from collections.abc import Callable, Iterable
from typing import Any, TypeVar

from sqlmodel import Session

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes import (
    Aim,
    ByAge,
    ByHand,
    ByRule,
    Case,
    Change,
    Course,
    Move,
    Operation,
    Status,
    Step,
    Switch,
)
from widefork.core.closing import NOT_GIVEN, Closing
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.flags import Flag
from widefork.core.goals import PinnedGoal, Sense
from widefork.core.graph.model import Limit, Model, OwnRow, Profile, Rhythm, ScheduleSettings, StatementSettings
from widefork.core.history import History, read_forecast, read_step
from widefork.core.language.units import UnitForm
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime, Rollup, Section
from widefork.core.liquidity import USUAL_DAYS_UNDER_WAY, DayRule, Liquidity
from widefork.core.look import Emphasis, Look, PlausibleRange, Scale, Tint
from widefork.core.rules import RULES, read_rule
from widefork.core.spreads import Applied, Correlation, Redrawn, Shape, SpreadSetting
from widefork.store.rows import Rows
from widefork.store.tables import (
    CaseRow,
    ChangeRow,
    ClosingRow,
    FigureRow,
    FlagRow,
    HistoryRow,
    LimitRow,
    LineRow,
    MoveRow,
    ScheduleRow,
    SwitchRow,
)
from widefork.store.targets import Target, line_settings, month_of

Built = TypeVar("Built")


class ModelBuilder:
    """Builds a model from its rows, and again after an edit, when it reads anew only the rows the edit touched."""

    def __init__(self, rows: Rows) -> None:
        self.rows = rows
        self._built: dict[tuple[str, int], Any] = {}

    def forget(self, touched: Iterable[tuple[str, int, bool]]) -> None:
        """Read some rows anew from now on.

        Parameters
        ----------
        touched : table, id, and whether no more than values changed; where rows came, went or were renamed, others
            may speak of them by name, and all are read anew.
        """
        for table, row_id, is_values in touched:
            # A change that runs along a profile holds its curve.
            if table == "profile" or (
                not is_values and table in ("dimension", "member", "section", "line", "schedule", "move")
            ):
                self._built.clear()
                return
            self._built.pop((table, row_id), None)

    def _each(self, rows: Iterable[Any], build: Callable[[Any, Rows], Built]) -> tuple[Built, ...]:
        found = []
        for row in rows:
            key = (row.__tablename__, row.id)
            if key not in self._built:
                self._built[key] = build(row, self.rows)
            found.append(self._built[key])
        return tuple(found)

    def build(self) -> Model:
        """Return the model as the core knows it."""
        rows, frame = self.rows, self.rows.frame
        start = Month.parse(frame.start)
        return Model(
            name=frame.name,
            currency=frame.currency,
            timeline=Timeline(start, frame.month_count, frame.fiscal_year_start, month_of(frame.last_actual)),
            dimensions=self._dimensions(),
            sections=self._each(rows.sections, lambda s, _: Section(s.name, s.label, s.note)),
            lines=self._each(rows.lines, _line),
            profiles=self._each(rows.profiles, lambda p, _: Profile(p.name, p.label, tuple(p.amounts))),
            schedules=self._each(rows.schedules, _schedule),
            opening_balances=frame.opening_balances,
            statements=statements_of(frame.statements),
            limits=self._each(rows.limits, _limit),
            liquidity=_liquidity(frame.liquidity, rows),
            ranges=ranges_of(frame.ranges, rows),
            spreads=spreads_of(frame.spreads, rows),
            correlations=correlations_of(frame.spreads, rows),
            not_ours=tuple(frame.not_ours),
            units=tuple(UnitForm(**unit) for unit in frame.units),
            closings=self._each(rows.closings, closing_of),
            cases=self._cases(is_archived=False),
            archived=self._cases(is_archived=True),
            figures=self._each(rows.figures, _figure),
            goals=goals_of(frame.goals, rows),
            histories=self._each(rows.histories, history_of),
            moves=tuple(_move(row, rows, self._each(rows.changes_of_move(row.id), change_of)) for row in rows.moves),
            flags=self._each(rows.flags, _flag),
        )

    def _cases(self, is_archived: bool) -> tuple[Case, ...]:
        rows = self.rows
        shown = [case for case in rows.cases if case.is_archived == is_archived]
        return tuple(_case(case, rows, self._each(rows.steps_of_case(case.id), step_of)) for case in shown)

    def _dimensions(self) -> tuple[Dimension, ...]:
        held: dict[int, list[Any]] = {}
        for member in self.rows.members:
            held.setdefault(member.dimension_id, []).append(member)

        def build(row: Any, _: Rows) -> Dimension:
            members = held.get(row.id, [])
            known = {member.name: dict(member.attributes) for member in members if member.attributes}
            return Dimension(row.name, tuple(member.name for member in members), row.label, known)

        return tuple(build(row, self.rows) for row in self.rows.dimensions)


def load_model(session: Session, model_id: int) -> Model:
    """Return a stored model as the core knows it; raise UnknownName."""
    return ModelBuilder(Rows.read(session, model_id)).build()


def _move(row: MoveRow, rows: Rows, changes: tuple[Change, ...]) -> Move:
    names = {figure.id: figure.name for figure in rows.figures}
    aims = tuple(Aim(names[aim["figure"]], aim["amount"]) for aim in row.aims if aim["figure"] in names)
    start = Month.parse(row.start)
    return Move(row.name, row.label, start, changes, row.note, row.owner, Status(row.status), row.one_of, aims)


def _schedule(row: ScheduleRow, rows: Rows) -> ScheduleSettings:
    lists = line_settings(row.kind)
    by_id = {line.id: line.name for line in rows.lines} if lists else {}
    settings = {
        key: [by_id[line_id] for line_id in value] if key in lists else value for key, value in row.settings.items()
    }
    return ScheduleSettings(row.kind, row.name, row.label, settings)


def _flag(row: FlagRow, _: Rows) -> Flag:
    months = tuple(row.months_of_year)
    return Flag(row.name, row.label, month_of(row.first), month_of(row.last), months, row.counts, row.note)


def _key(ids: Iterable[int], rows: Rows) -> MemberKey:
    return tuple(rows.member(member_id)[1] for member_id in ids)


def _line(row: LineRow, rows: Rows) -> Line:
    rollup = row.rollup
    return Line(
        row.name,
        row.label,
        row.unit,
        rows.needed("section", row.section_id).name,
        tuple(rows.needed("dimension", key).name for key in row.dimensions),
        row.formula,
        {_key(entry["members"], rows): read_rule(RULES, entry["rule"]) for entry in row.rules},
        Rollup(
            OverTime(rollup["time"]),
            OverMembers(rollup["members"]),
            rollup["numerator"],
            rollup["denominator"],
            rollup.get("blank_months", 0),
        ),
        row.opening,
        tuple(row.history),
        {_key(entry["members"], rows): with_gaps(entry["values"]) for entry in row.actuals},
        row.posts_to,
        row.note,
        allow_loop=row.allow_loop,
        is_fixed=row.is_fixed,
        absent=tuple(_key(ids, rows) for ids in row.absent),
        look=_look(row.look),
        plausible=PlausibleRange(**row.plausible) if row.plausible else None,
    )


def _look(known: dict[str, Any]) -> Look:
    scale, emphasis, tint = known.get("scale"), known.get("emphasis"), known.get("tint")
    return Look(
        known.get("decimals"),
        Scale(scale) if scale else None,
        Emphasis(emphasis) if emphasis else None,
        Tint(tint) if tint else None,
        known.get("space_above", False),
    )


def _case(row: CaseRow, rows: Rows, steps: tuple[Step, ...]) -> Case:
    parent = next((c.name for c in rows.cases if c.id == row.parent_id), None)
    names = (_dropped(drop, row, rows) for drop in row.drops)
    drops = tuple(name for name in names if name)
    return Case(row.name, row.label, parent, steps, row.note, drops, row.weight, row.is_pinned)


def _dropped(drop: dict[str, int], case: CaseRow, rows: Rows) -> str:
    """The inherited step a case drops, by name; empty where it has gone since, and there is nothing left to drop."""
    [(table, row_id)] = drop.items()
    row: Any = rows.get(table, row_id)
    if row is None or case.parent_id is None:
        return ""
    if table == "change":
        return str(row.name)
    standing = rows.standing_switch(rows.needed("case", case.parent_id), row.move_id)
    is_on = standing is not None and standing.id == row_id
    return str(rows.needed("move", row.move_id).name) if is_on else ""


def step_of(row: ChangeRow | SwitchRow, rows: Rows) -> Step:
    """Return a stored step of a case."""
    if isinstance(row, ChangeRow):
        return change_of(row, rows)
    return Switch(rows.needed("move", row.move_id).name, month_of(row.start), row.strength)


def change_of(row: ChangeRow, rows: Rows) -> Change:
    """Return a stored change in rows."""
    return Change(
        rows.name_of(Target(row.line_id, row.schedule_id, row.part)),
        Operation(row.operation),
        row.amount,
        tuple(rows.member(member_id) for member_id in row.members),
        month_of(row.first),
        month_of(row.last),
        row.note,
        row.catch_up_months,
        row.strength,
        row.name,
        _course(row.course, rows),
    )


def _course(document: dict[str, Any], rows: Rows) -> Course | None:
    if "typed" in document:
        return ByHand(tuple(document["typed"]))
    if "rule" in document:
        return ByRule(read_rule(RULES, document["rule"]), Month.parse(document["since"]))
    if "profile" in document:
        profile = rows.needed("profile", document["profile"])
        return ByAge(profile.name, tuple(profile.amounts), document["age"])
    return None


def statements_of(document: dict[str, Any]) -> StatementSettings:
    """Return how the statements are laid out, from what the model's row keeps."""
    return StatementSettings(
        document.get("layout", "classic"),
        document.get("labels", {}),
        tuple(OwnRow(**row) for row in document.get("rows", ())),
        tuple(document.get("order", ())),
    )


def _limit(row: LimitRow, rows: Rows) -> Limit:
    return Limit(
        row.name,
        row.label,
        rows.name_of(Target(row.line_id, row.schedule_id, row.part)),
        row.least,
        row.most,
        Rhythm(row.tested),
        month_of(row.first),
        row.is_covenant,
        row.note,
    )


def with_gaps(amounts: Iterable[float | None]) -> tuple[float, ...]:
    """Return actuals with what is not known as NaN."""
    return tuple(NOT_GIVEN if amount is None else amount for amount in amounts)


def closing_of(row: ClosingRow, rows: Rows) -> Closing:
    """Return a month closed, in rows; what has gone since is left out."""
    schedules = {str(schedule.id): schedule.name for schedule in rows.schedules}
    figures = {name: amount for key, amount in row.figures.items() if (name := rows.known_name(key))}
    notes = {name: note for key, note in row.notes.items() if (name := rows.known_name(key))}
    ages = {schedules[key]: tuple(amounts) for key, amounts in row.ages.items() if key in schedules}
    return Closing(Month.parse(row.month), figures, ages, notes)


def history_of(row: HistoryRow, rows: Rows) -> History:
    """Return what happened, as the core knows it."""
    return History(
        rows.name_of(Target(row.line_id, row.schedule_id, row.part)),
        Month.parse(row.start),
        with_gaps(row.amounts),
        tuple(rows.member(member_id) for member_id in row.members),
        row.per_year,
        row.label,
        row.unit,
        {Month.parse(month): tuple(values) for month, values in row.doubled.items()},
        tuple(read_step(step) for step in row.steps),
        tuple(read_forecast(forecast) for forecast in row.forecasts),
        row.note,
    )


def ranges_of(document: dict[str, Any], rows: Rows) -> dict[str, PlausibleRange]:
    """Return the plausible ranges of lines that schedules write; those of lines that have gone are left out."""
    known = {rows.known_name(key): PlausibleRange(**found) for key, found in document.items()}
    return {name: found for name, found in known.items() if name is not None}


def spreads_of(document: dict[str, Any], rows: Rows) -> tuple[SpreadSetting, ...]:
    """Return how lines are drawn at random; those of lines and members that have gone are left out."""
    known = {member.id for member in rows.members}
    entries: list[Any] = [(key, [], entry) for key, entry in document.get("lines", {}).items()]
    for key, ids, entry, place in document.get("members", ()):
        entries.insert(place, (key, ids, entry))
    found = []
    for key, ids, entry in entries:
        name = rows.known_name(key)
        if name is not None and known.issuperset(ids):
            plausible = PlausibleRange(**entry["plausible"]) if entry["plausible"] else None
            ways = (Shape(entry["shape"]), entry["held"], Redrawn(entry["rhythm"]), entry["persistence"])
            applied = Applied(entry.get("applied", Applied.USUAL))
            found.append(SpreadSetting(name, *ways, plausible, applied, tuple(rows.member(each) for each in ids)))
    return tuple(found)


def goals_of(document: list[dict[str, Any]], rows: Rows) -> tuple[PinnedGoal, ...]:
    """Return the goals kept; those of figures and cases that have gone are left out."""
    figures = {figure.id: figure.name for figure in rows.figures}
    cases = {case.id: case.name for case in rows.cases}
    return tuple(
        PinnedGoal(
            goal["name"], figures[goal["figure"]], Sense(goal["is"]), goal["target"], cases[goal["case"]], goal["note"]
        )
        for goal in document
        if goal["figure"] in figures and goal["case"] in cases
    )


def correlations_of(document: dict[str, Any], rows: Rows) -> tuple[Correlation, ...]:
    """Return which drawn lines go together; pairs of which one has gone are left out."""
    pairs = [(rows.known_name(one), rows.known_name(other), rho) for one, other, rho in document.get("together", ())]
    return tuple(Correlation(one, other, rho) for one, other, rho in pairs if one is not None and other is not None)


def _liquidity(document: dict[str, Any], rows: Rows) -> Liquidity:
    schedules = {schedule.id: schedule.name for schedule in rows.schedules}
    known = {rows.known_name(key): DayRule.parse(text) for key, text in document.get("days", {}).items()}
    level = document.get("level")
    return Liquidity(
        read_rule(RULES, level) if level is not None else None,
        {name: rule for name, rule in known.items() if name is not None},
        tuple(schedules[key] for key in document.get("under_way", ()) if key in schedules),
        document.get("under_way_days", USUAL_DAYS_UNDER_WAY),
    )


def _figure(row: FigureRow, rows: Rows) -> Figure:
    return Figure(
        row.name,
        row.label,
        rows.name_of(Target(row.line_id, row.schedule_id, row.part)),
        _key(row.members, rows),
        month_of(row.first),
        month_of(row.last),
        Reduction(row.reduction),
        Comparison(row.comparison),
        row.threshold,
        row.is_pinned,
    )
