"""Core objects to rows: names become permanent ids."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import asdict
from typing import Any

from widefork.core.changes import Aim, ByAge, ByHand, ByRule, Case, Change, Course, Move, Step
from widefork.core.closing import Closing
from widefork.core.errors import UnknownName
from widefork.core.figures import Figure
from widefork.core.flags import Flag
from widefork.core.goals import PinnedGoal
from widefork.core.graph.model import Limit, Model, StatementSettings
from widefork.core.history import History, forecast_document, step_document
from widefork.core.lines import Line
from widefork.core.liquidity import USUAL_DAYS_UNDER_WAY, Liquidity
from widefork.core.look import Look, PlausibleRange
from widefork.core.rules import RULES, write_rule
from widefork.core.spreads import Correlation, SpreadSetting
from widefork.store.ids import Ids
from widefork.store.rows import Row, Rows, as_stored
from widefork.store.tables import (
    CaseRow,
    ChangeRow,
    ClosingRow,
    DimensionRow,
    FigureRow,
    FlagRow,
    HistoryRow,
    LimitRow,
    LineRow,
    MemberRow,
    ModelRow,
    MoveRow,
    ProfileRow,
    ScheduleRow,
    SectionRow,
    SwitchRow,
)
from widefork.store.targets import line_settings, text_of


def rows_of(model: Model, ids: Ids) -> Rows:
    """Return the rows of a new model, with ids of their own; nothing is written yet."""
    timeline = model.timeline
    frame = ModelRow(
        id=ids.next("model"),
        name=model.name,
        currency=model.currency,
        start=str(timeline.start),
        month_count=timeline.month_count,
        fiscal_year_start=timeline.fiscal_year_start,
        last_actual=text_of(timeline.last_actual),
        opening_balances=as_stored(dict(model.opening_balances)),
        statements=as_stored(statements_document(model.statements)),
        not_ours=list(model.not_ours),
        units=[asdict(unit) for unit in model.units],
    )
    rows = Rows(frame, ())
    model_id = rows.model_id

    def add(row: Row) -> Row:
        row.id = ids.next(row.__tablename__)
        for key, value in row.model_dump().items():
            setattr(row, key, as_stored(value))
        rows.put(row)
        return row

    _add_dimensions(model, rows, add)
    for place, section in enumerate(model.sections):
        add(SectionRow(model_id=model_id, position=place, name=section.name, label=section.label, note=section.note))
    for place, profile in enumerate(model.profiles):
        amounts = list(profile.values)
        add(ProfileRow(model_id=model_id, position=place, name=profile.name, label=profile.label, amounts=amounts))
    for place, flag in enumerate(model.flags):
        add(FlagRow(model_id=model_id, position=place, name=flag.name, **flag_columns(flag)))
    for place, line in enumerate(model.lines):
        add(line_row(line, place, model_id, rows))
    line_ids = {line.name: line.id for line in rows.lines}
    for place, schedule in enumerate(model.schedules):
        lists = line_settings(schedule.kind)
        settings = {k: [line_ids[name] for name in v] if k in lists else v for k, v in schedule.settings.items()}
        row = ScheduleRow(model_id=model_id, position=place, kind=schedule.kind, name=schedule.name,
                          label=schedule.label, settings=settings)  # fmt: skip
        add(row)
    _add_moves(model, rows, add)
    _add_cases(model, rows, add)
    for place, figure in enumerate(model.figures):
        add(figure_row(figure, place, model, rows))
    moves = {row.name: row for row in rows.moves}
    for move in model.moves:
        moves[move.name].aims = aim_documents(move.aims, rows)
    _add_dated(model, rows, add)
    frame.liquidity = as_stored(liquidity_document(model.liquidity, rows))
    frame.ranges = as_stored(ranges_document(model.ranges, rows))
    frame.goals = as_stored(goals_document(model.goals, rows))
    frame.spreads = as_stored(spreads_document(model.spreads, model.correlations, rows))
    return rows


def _add_dated(model: Model, rows: Rows, add: Callable[[Row], Row]) -> None:
    """What is said of lines from outside: limits, months closed, histories."""
    for place, limit in enumerate(model.limits):
        add(limit_row(limit, place, rows))
    for closing in model.closings:
        add(closing_row(closing, rows))
    for place, history in enumerate(model.histories):
        add(history_row(history, place, rows))


def _add_dimensions(model: Model, rows: Rows, add: Callable[[Row], Row]) -> None:
    for place, dimension in enumerate(model.dimensions):
        row = DimensionRow(model_id=rows.model_id, position=place, name=dimension.name, label=dimension.label)
        owner = int(add(row).id)
        for order, member in enumerate(dimension.members):
            known = dict(dimension.attributes.get(member, {}))
            add(MemberRow(dimension_id=owner, position=order, name=member, attributes=known))


def _add_moves(model: Model, rows: Rows, add: Callable[[Row], Row]) -> None:
    for place, move in enumerate(model.moves):
        row = move_row(move, place, rows)
        owner = int(add(row).id)
        for order, change in enumerate(move.changes):
            add(change_row(change, order, rows, move_id=owner))


def move_row(move: Move, position: int, rows: Rows) -> MoveRow:
    """Return the row of a move, what it is to bring left out: that names figures, which come after moves."""
    return MoveRow(
        model_id=rows.model_id,
        position=position,
        name=move.name,
        label=move.label,
        start=str(move.start),
        note=move.note,
        owner=move.owner,
        status=move.status.value,
        one_of=move.group,
        aims=[],
    )


def aim_documents(aims: Iterable[Aim], rows: Rows) -> list[dict[str, Any]]:
    """Return what a move is to bring as its row keeps it; raise UnknownName for a figure that is not there."""
    ids = {figure.name: figure.id for figure in rows.figures}
    for aim in aims:
        if aim.figure not in ids:
            raise UnknownName("figure", aim.figure, ids)
    return [{"figure": ids[aim.figure], "amount": aim.amount} for aim in aims]


def _add_cases(model: Model, rows: Rows, add: Callable[[Row], Row]) -> None:
    archived = {case.name for case in model.archived}
    for place, case in enumerate(model.family.cases):
        case_row = CaseRow(
            model_id=rows.model_id,
            position=place,
            name=case.name,
            label=case.label,
            note=case.note,
            drops=[],
            weight=case.weight,
            is_pinned=case.is_pinned,
            is_archived=case.name in archived,
        )
        owner = int(add(case_row).id)
        for order, step in enumerate(case.steps):
            add(step_row(step, order, rows, owner))
    # Parents, and what is dropped, stand above in the family, but perhaps further down in the list.
    for case in model.family.cases:
        rows.case(case.name).parent_id = rows.case(case.parent).id if case.parent else None
    for case in model.family.parents_first:
        row = rows.case(case.name)
        row.drops = drop_documents(case, row, rows)


def drop_documents(case: Case, row: CaseRow, rows: Rows) -> list[dict[str, int]]:
    """Return what a case drops as its row keeps it; the cases above it stand in the rows already."""
    return [document for name in case.drops if (document := _drop_document(name, row, rows))]


def _drop_document(name: str, case: CaseRow, rows: Rows) -> dict[str, int]:
    """An inherited step dropped by its name, by its id; empty where nothing of that name is inherited."""
    parent: CaseRow | None = None if case.parent_id is None else rows.needed("case", case.parent_id)
    for move in rows.moves:
        standing = None if parent is None else rows.standing_switch(parent, move.id)
        if move.name == name and standing is not None:
            return {"switch": int(standing.id or 0)}
    while parent is not None:
        for change in rows.changes_of_case(parent.id):
            if change.name == name:
                return {"change": int(change.id or 0)}
        parent = None if parent.parent_id is None else rows.needed("case", parent.parent_id)
    return {}


def step_row(step: Step, position: int, rows: Rows, case_id: int) -> ChangeRow | SwitchRow:
    """Return the row of a step of a case."""
    if isinstance(step, Change):
        return change_row(step, position, rows, case_id=case_id)
    move = next(int(row.id or 0) for row in rows.moves if row.name == step.move)
    start = text_of(step.start)
    return SwitchRow(case_id=case_id, move_id=move, position=position, start=start, strength=step.strength)


def flag_columns(flag: Flag) -> dict[str, Any]:
    """Return what a flag's row says beside its name and place."""
    return {
        "label": flag.label,
        "first": text_of(flag.first),
        "last": text_of(flag.last),
        "months_of_year": list(flag.months_of_year),
        "counts": flag.counts,
        "note": flag.note,
    }


def line_row(line: Line, position: int, model_id: int, rows: Rows) -> LineRow:
    """Return the row of a line."""
    dimensions = {d.name: int(d.id or 0) for d in rows.dimensions}
    return LineRow(
        model_id=model_id,
        section_id=next(int(s.id or 0) for s in rows.sections if s.name == line.section),
        position=position,
        name=line.name,
        label=line.label,
        unit=line.unit,
        dimensions=[dimensions[name] for name in line.dimensions],
        formula=line.formula,
        rules=[
            {"members": rows.key_ids(line.dimensions, key), "rule": write_rule(RULES, rule)}
            for key, rule in line.rules.items()
        ],
        rollup={
            "time": line.rollup.over_time.value,
            "members": line.rollup.over_members.value,
            "numerator": line.rollup.numerator,
            "denominator": line.rollup.denominator,
            **({"blank_months": line.rollup.blank_months} if line.rollup.blank_months else {}),
        },
        opening=line.opening,
        history=list(line.history),
        actuals=[
            {"members": rows.key_ids(line.dimensions, key), "values": without_gaps(values)}
            for key, values in line.actuals.items()
        ],
        posts_to=line.posts_to,
        note=line.note,
        allow_loop=line.allow_loop,
        is_fixed=line.is_fixed,
        absent=[rows.key_ids(line.dimensions, key) for key in line.absent],
        look=look_document(line.look),
        plausible=range_document(line.plausible),
    )


def statements_document(statements: StatementSettings) -> dict[str, Any]:
    """Return how the statements are laid out as the model's row keeps it: only what differs from the usual."""
    usual = asdict(StatementSettings())
    return {key: value for key, value in asdict(statements).items() if value != usual[key]}


def limit_row(limit: Limit, position: int, rows: Rows) -> LimitRow:
    """Return the row of a limit."""
    target = rows.target(limit.line)
    return LimitRow(
        model_id=rows.model_id,
        position=position,
        name=limit.name,
        label=limit.label,
        line_id=target.line_id,
        schedule_id=target.schedule_id,
        part=target.part,
        least=limit.least,
        most=limit.most,
        tested=limit.tested.value,
        first=text_of(limit.first),
        is_covenant=limit.is_covenant,
        note=limit.note,
    )


def ranges_document(ranges: Mapping[str, PlausibleRange], rows: Rows) -> dict[str, Any]:
    """Return the plausible ranges of lines that schedules write as the model's row keeps them: by target."""
    return {rows.target(name).key: range_document(found) for name, found in ranges.items()}


def goals_document(goals: Iterable[PinnedGoal], rows: Rows) -> list[dict[str, Any]]:
    """Return the goals kept as the model's row keeps them: figures and cases by id; raise UnknownName."""
    figures = {figure.name: figure.id for figure in rows.figures}
    cases = {case.name: case.id for case in rows.cases}
    found = []
    for goal in goals:
        if goal.figure not in figures:
            raise UnknownName("figure", goal.figure, figures)
        if goal.case not in cases:
            raise UnknownName("case", goal.case, cases)
        found.append(
            {
                "name": goal.name,
                "figure": figures[goal.figure],
                "is": goal.sense.value,
                "target": goal.target,
                "case": cases[goal.case],
                "note": goal.note,
            }
        )
    return found


def spreads_document(
    spreads: Iterable[SpreadSetting], correlations: Iterable[Correlation], rows: Rows
) -> dict[str, Any]:
    """Return how lines are drawn at random as the model's row keeps it: by target; empty for nothing."""
    lines: dict[str, dict[str, Any]] = {}
    members: list[list[Any]] = []
    for place, each in enumerate(spreads):
        key, drawn = rows.target(each.line).key, _drawn(each)
        if each.members:
            ids = [rows.member_id(dimension, member) for dimension, member in each.members]
            members.append([key, ids, drawn, place])
        else:
            lines[key] = drawn
    pairs = [[rows.target(p.one).key, rows.target(p.other).key, p.coefficient] for p in correlations]
    document: dict[str, Any] = {"lines": lines, "members": members, "together": pairs}
    return {key: found for key, found in document.items() if found}


def _drawn(setting: SpreadSetting) -> dict[str, Any]:
    return {
        "shape": setting.shape.value,
        "held": setting.held,
        "rhythm": setting.rhythm.value,
        "persistence": setting.persistence,
        "plausible": range_document(setting.plausible),
        "applied": setting.applied.value,
    }


def liquidity_document(liquidity: Liquidity, rows: Rows) -> dict[str, Any]:
    """Return how liquidity is read as the model's row keeps it: lines by target, schedules by id."""
    schedules = {schedule.name: schedule.id for schedule in rows.schedules}
    document: dict[str, Any] = {}
    if liquidity.level is not None:
        document["level"] = write_rule(RULES, liquidity.level)
    if liquidity.days:
        document["days"] = {rows.target(name).key: rule.text for name, rule in liquidity.days.items()}
    if liquidity.under_way:
        document["under_way"] = [schedules[name] for name in liquidity.under_way if name in schedules]
    if liquidity.under_way_days != USUAL_DAYS_UNDER_WAY:
        document["under_way_days"] = liquidity.under_way_days
    return document


def without_gaps(amounts: Iterable[float]) -> list[float | None]:
    """Return actuals as a row keeps them: null where nothing is known."""
    return [None if amount != amount else amount for amount in amounts]


def history_row(history: History, position: int, rows: Rows) -> HistoryRow:
    """Return the row of a history."""
    target = rows.target(history.line)
    return HistoryRow(
        model_id=rows.model_id,
        position=position,
        line_id=target.line_id,
        schedule_id=target.schedule_id,
        part=target.part,
        members=[rows.member_id(*pair) for pair in history.members],
        start=str(history.start),
        per_year=history.per_year,
        label=history.label,
        unit=history.unit,
        amounts=without_gaps(history.values),
        doubled={str(month): list(values) for month, values in history.doubled.items()},
        steps=[step_document(step) for step in history.steps],
        forecasts=[forecast_document(forecast) for forecast in history.forecasts],
        note=history.note,
    )


def closing_row(closing: Closing, rows: Rows) -> ClosingRow:
    """Return the row of a month closed."""
    schedules = {schedule.name: str(schedule.id) for schedule in rows.schedules}
    return ClosingRow(
        model_id=rows.model_id,
        month=str(closing.month),
        figures={rows.target(name).key: amount for name, amount in closing.figures.items()},
        ages={schedules[name]: list(amounts) for name, amounts in closing.ages.items() if name in schedules},
        notes={rows.target(name).key: note for name, note in closing.notes.items()},
    )


def look_document(look: Look) -> dict[str, Any]:
    """Return how a line looks as its row keeps it: only what is set."""
    return {key: value for key, value in asdict(look).items() if value is not None and value is not False}


def range_document(plausible: PlausibleRange | None) -> dict[str, Any]:
    """Return a plausible range as its row keeps it; empty for none."""
    return {} if plausible is None else asdict(plausible)


def change_row(
    change: Change, position: int, rows: Rows, case_id: int | None = None, move_id: int | None = None
) -> ChangeRow:
    """Return the row of a change of a case or of a move."""
    target = rows.target(change.line)
    return ChangeRow(
        case_id=case_id,
        move_id=move_id,
        position=position,
        line_id=target.line_id,
        schedule_id=target.schedule_id,
        part=target.part,
        operation=change.operation.value,
        amount=change.amount,
        members=[rows.member_id(dimension, member) for dimension, member in change.members],
        first=text_of(change.first),
        last=text_of(change.last),
        note=change.note,
        catch_up_months=change.catch_up_months,
        strength=change.strength,
        name=change.name,
        course=_course_document(change.course, rows),
    )


def _course_document(course: Course | None, rows: Rows) -> dict[str, Any]:
    match course:
        case ByHand(amounts):
            return {"typed": list(amounts)}
        case ByRule(rule, since):
            return {"rule": write_rule(RULES, rule), "since": str(since)}
        case ByAge(profile, _, age):
            return {"profile": next(row.id for row in rows.profiles if row.name == profile), "age": age}
    return {}


def figure_row(figure: Figure, position: int, model: Model, rows: Rows) -> FigureRow:
    """Return the row of a figure."""
    target = rows.target(figure.line)
    line = model.line_by_name.get(figure.line)
    return FigureRow(
        model_id=rows.model_id,
        position=position,
        name=figure.name,
        label=figure.label,
        line_id=target.line_id,
        schedule_id=target.schedule_id,
        part=target.part,
        members=rows.key_ids(line.dimensions if line else (), figure.members),
        first=text_of(figure.first),
        last=text_of(figure.last),
        reduction=figure.reduction.value,
        comparison=figure.comparison.value,
        threshold=figure.threshold,
        is_pinned=figure.is_pinned,
    )
