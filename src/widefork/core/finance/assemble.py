"""Puts a model together: the user's lines, the lines of its schedules, and the statements."""

import re
from collections.abc import Collection, Iterable, Mapping
from dataclasses import fields, replace

from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.finance.books import BOOKS, books_lines, refuse_unknown, with_books
from widefork.core.finance.schedules import SCHEDULES, Book, Draft, Role, named_lines, summed
from widefork.core.finance.settlement import SETTLED, paid_as, settlement_lines
from widefork.core.finance.statements.caption import Caption
from widefork.core.finance.statements.captions import (
    CAPTION_BY_NAME,
    CAPTIONS,
    OPENING_CAPTIONS,
    POSTABLE,
    ROWS_WITHIN,
)
from widefork.core.finance.statements.layouts import LAYOUTS
from widefork.core.finance.statements.ratios import RATIOS, Ratio
from widefork.core.graph.model import Model, OwnRow
from widefork.core.graph.plan import STATEMENTS, Plan, check_problems, compile_model
from widefork.core.lines import BALANCE, LINE_NAME, Line, LineSource, MemberKey, Rollup, Section, with_rollups
from widefork.core.rules import Rule


def assemble(model: Model, earlier: Plan | None = None) -> Model:
    """Return the model with all its generated lines behind the user's own.

    ``earlier`` is the plan before an edit; see ``assemble_again``.

    Raises
    ------
    InvalidModel: an unknown schedule or caption, a setting that is missing or wrong, a name used twice.
    """
    again = assemble_again(model, earlier) if earlier is not None else None
    if again is not None:
        return again
    _check_rows(model)
    known = (*POSTABLE, *(row.name for row in model.statements.rows))
    for line in model.lines:
        _check_posting(line, known)
    drafts = write_schedules(model)
    sections = [Section(draft.given.name, draft.given.label, draft.schedule.label.lower()) for draft in drafts]
    settled = settlement_lines(model, book_of(model))
    if settled:
        sections.append(Section(SETTLED, "Paid in the month", "what no terms settle"))
    lines = [*model.lines, *(line for draft in drafts for line in draft.lines), *settled]
    books = books_lines(model, lines)
    if books:
        sections.append(Section(BOOKS, "From the books", "months closed"))
        lines += books
    openings = opening_balances(lines, model)
    level = _level_line(model)
    statements = [_row_line(row, lines, model) for row in model.statements.rows]
    statements += [_caption_line(caption, lines, model, openings) for caption in CAPTIONS]
    if level is not None:
        sections.append(Section(LIQUIDITY, "Liquidity", "what the Waterline is measured against"))
        lines.append(level)
    taken = {line.name for line in lines}
    statements += [_ratio_line(ratio, model) for ratio in RATIOS if ratio.name not in taken]
    names = {line.name for line in (*lines, *statements)}
    refuse_unknown(model, names)
    _check_limits(model, names)
    return replace(
        model,
        sections=(*model.sections, *sections, Section(STATEMENTS, "Statements")),
        lines=_with_ranges(with_books((*lines, *statements), model), model),
    )


def _with_ranges(lines: Iterable[Line], model: Model) -> tuple[Line, ...]:
    """Lines a schedule writes with the plausible ranges the model has for them; all others as they are."""
    return tuple(
        replace(line, plausible=model.ranges.get(line.name))
        if line.is_generated and line.plausible != model.ranges.get(line.name)
        else line
        for line in lines
    )


SHAPING = ("timeline", "dimensions", "sections", "profiles", "schedules", "opening_balances", "flags", "statements",
           "closings", "liquidity", "currency", "units")  # fmt: skip
"""What of a model its generated lines are written from, beside the user's lines."""
FREE = ("rules", "actuals", "note", "look", "plausible")
"""What of a user's line no generated line is written from."""


def assemble_again(model: Model, earlier: Plan) -> Model | None:
    """Return the assembled model after an edit of numbers, words, cases, moves or figures, at next to no cost.

    Returns
    -------
    The same as ``assemble``; None where the edit reaches what generated lines are written from, which ``assemble``
    then writes anew.
    """
    before = earlier.own
    if before is None or len(before.lines) != len(model.lines):
        return None
    if any(getattr(before, name) != getattr(model, name) for name in SHAPING):
        return None
    touched = [place for place, line in enumerate(model.lines) if line is not before.lines[place]]
    for place in touched:
        was, line = before.lines[place], model.lines[place]
        if any(getattr(was, one.name) != getattr(line, one.name) for one in fields(Line) if one.name not in FREE):
            return None
    assembled = earlier.model
    _check_limits(model, assembled.line_by_name)
    lines = list(assembled.lines)
    for place in touched:
        (lines[place],) = with_books([model.lines[place]], model)
    ranged = tuple(lines) if before.ranges == model.ranges else _with_ranges(lines, model)
    return replace(model, sections=assembled.sections, lines=ranged)


def _check_limits(model: Model, names: Collection[str]) -> None:
    for limit in model.limits:
        if limit.line not in names:
            raise InvalidModel(UnknownName("line", limit.line, names).sentence, f"limits/{limit.name}")


def book_of(model: Model) -> Book:
    """Return which schedule settles, taxes or stocks which line; raise InvalidModel where two do."""
    return Book.of(
        entry for given in model.schedules if given.kind in SCHEDULES
        for entry in named_lines(SCHEDULES[given.kind], given)
    )  # fmt: skip


def write_schedules(model: Model) -> tuple[Draft, ...]:
    """Return what each schedule writes, in their order.

    Raises
    ------
    InvalidModel: an unknown schedule, a setting that is missing or wrong, or lines two schedules settle.
    """
    book = book_of(model)
    book.settlers_of_stocks()
    for name, given in book.roles[Role.SETTLED].items():
        line = model.line_by_name.get(name)
        if line is not None and not paid_as(line, book, model):
            raise InvalidModel(
                f"{line.label} is settled by {given.label} but is neither earned nor charged: let it post to the "
                "income statement, or spread it by prepaid billing or prepaid costs.",
                f"schedules/{given.name}",
            )
    drafts = []
    for given in model.schedules:
        place = f"schedules/{given.name}"
        try:
            schedule = SCHEDULES[given.kind]
        except UnknownName as fault:
            raise InvalidModel(fault.sentence, place) from fault
        if given.name == SETTLED:
            raise InvalidModel(f"The name {SETTLED} is kept for what is paid in the month; choose another.", place)
        known = [setting.key for setting in schedule.settings]
        unknown = set(given.settings) - set(known)
        if unknown:
            raise InvalidModel(UnknownName("setting", sorted(unknown)[0], known).sentence, place)
        draft = Draft(schedule, given, model, book)
        for key in given.settings:
            draft.value(key)  # also of those that are not used as things stand
        schedule.write(draft)
        draft.lines = with_rollups(draft.lines, given.name, schedule.rollups)
        drafts.append(draft)
    return tuple(drafts)


def _check_posting(line: Line, known: Collection[str]) -> None:
    if line.posts_to and line.posts_to not in known:
        sentence = UnknownName("caption to post to", line.posts_to, known).sentence
        raise InvalidModel(sentence, f"lines/{line.name}/posts_to")


def _check_rows(model: Model) -> None:
    """Rows of the user's own stand within captions that lines post to, under names nothing else has."""
    if model.statements.layout not in LAYOUTS:
        raise InvalidModel(UnknownName("layout", model.statements.layout, LAYOUTS.names).sentence, "statements/layout")
    for row in model.statements.rows:
        place = f"statements/rows/{row.name}"
        if row.within not in ROWS_WITHIN:
            raise InvalidModel(UnknownName("caption for a row", row.within, ROWS_WITHIN).sentence, place)
        if row.name in CAPTION_BY_NAME or not LINE_NAME.fullmatch(row.name):
            raise InvalidModel(f"A row's name is lower-case words that no caption has; “{row.name}” is not.", place)


def build_plan(model: Model, earlier: Plan | None = None) -> Plan:
    """Return the assembled model compiled; faults of single formulas stay beside their lines.

    ``earlier`` is the plan before an edit: what it knows is taken over where the structure is the same.
    """
    return replace(compile_model(assemble(model, earlier), earlier), own=model)


def check_plan(model: Model, earlier: Plan | None = None) -> Plan:
    """Return the assembled model compiled, or raise its first fault; ``earlier`` as for ``build_plan``."""
    plan = build_plan(model, earlier)
    check_problems(plan)
    return plan


def opening_balances(lines: Iterable[Line], model: Model) -> dict[str, float]:
    """Return the balance of every caption and total as at the month before the start, in currency.

    Parameters
    ----------
    lines : the user's and the schedules' lines.
    """
    openings = {caption.name: 0.0 for caption in CAPTIONS if caption.is_balance}
    openings |= {name: model.opening_balances.get(name, 0.0) for name in OPENING_CAPTIONS}
    for line in lines:
        if line.posts_to in openings:
            openings[line.posts_to] += line.opening
    openings["cash_after_overdraft"] = openings["cash"] - openings["overdraft"]
    openings["cash"], openings["not_funded"] = max(0.0, openings["cash"]), max(0.0, -openings["cash"])
    for caption in CAPTIONS:
        is_total = caption.is_balance and caption.formula and "(" not in caption.formula
        if is_total and caption.name not in (*OPENING_CAPTIONS, "cash_after_overdraft"):
            openings[caption.name] = _total(caption.formula, openings)
    return openings


def _total(formula: str, values: Mapping[str, float]) -> float:
    """A total of captions: names added and taken away."""
    signed = re.findall(r"([-+]?)\s*([a-z_]+)", formula)
    return sum(-values[name] if sign == "-" else values[name] for sign, name in signed)


def _row_line(row: OwnRow, lines: list[Line], model: Model) -> Line:
    posted = [line for line in lines if line.posts_to == row.name]
    source = LineSource(STATEMENTS, row.name)
    return Line(row.name, row.label, model.currency, section=STATEMENTS, formula=summed(posted), source=source)


def _ratio_line(ratio: Ratio, model: Model) -> Line:
    return Line(
        ratio.name,
        ratio.label,
        ratio.unit.replace("CUR", model.currency),
        section=STATEMENTS,
        formula=ratio.formula,
        rollup=ratio.rollup,
        source=LineSource(STATEMENTS, ratio.name),
    )


LIQUIDITY, LEVEL = "liquidity", "lowest_level"
"""Source and name of the assumption that says how low cash after overdraft may go."""


def _level_line(model: Model) -> Line | None:
    """The lowest level allowed where the user set one: an assumption, so that cases can change it."""
    if model.liquidity.level is None:
        return None
    rules: dict[MemberKey, Rule] = {(): model.liquidity.level}
    source = LineSource(LIQUIDITY, LEVEL)
    return Line(LEVEL, "Lowest level allowed", model.currency, LIQUIDITY, rules=rules, rollup=BALANCE, source=source)


def _caption_line(caption: Caption, lines: list[Line], model: Model, openings: Mapping[str, float]) -> Line:
    posted = [line for line in lines if line.posts_to == caption.name]
    own = [row.name for row in model.statements.rows if row.within == caption.name]
    formula = " + ".join([*([summed(posted)] if posted else []), *own]) or "0"
    if caption.name == "waterline" and model.liquidity.level is not None:
        written = LEVEL
    elif caption.name == "taken_from_stock":
        # Under the same name also where the stock's lines were made ordinary ones.
        stocks = dict.fromkeys(stock.name for stock in book_of(model).roles[Role.STOCKED].values())
        known = {line.name for line in lines}
        written = " + ".join(f"{stock}_used" for stock in stocks if f"{stock}_used" in known) or "0"
    else:
        written = caption.formula or formula
    return Line(
        caption.name,
        model.statements.labels.get(caption.name, caption.label),
        model.currency,
        section=STATEMENTS,
        formula=written,
        rollup=BALANCE if caption.is_balance else Rollup(),
        opening=openings.get(caption.name, 0.0),
        source=LineSource(STATEMENTS, caption.name),
    )
