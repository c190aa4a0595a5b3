"""Puts a model together: the user's lines, the lines of its schedules, and the statements."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import replace

from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.finance.schedules import SCHEDULES, Book, Draft, named_lines, summed
from widefork.core.finance.settlement import SETTLED, settlement_lines
from widefork.core.finance.statements.caption import Caption
from widefork.core.finance.statements.captions import (
    CAPTION_BY_NAME,
    CAPTIONS,
    OFFERED,
    OPENING_CAPTIONS,
    POSTABLE,
)
from widefork.core.graph.model import Model
from widefork.core.graph.plan import STATEMENTS, Plan, check_model, compile_model
from widefork.core.lines import BALANCE, Line, LineSource, Rollup, Section


def assemble(model: Model) -> Model:
    """Return the model with all its generated lines behind the user's own.

    Raises
    ------
    InvalidModel: an unknown schedule or caption, a setting that is missing or wrong, a name used twice.
    """
    for line in model.lines:
        _refuse_posting(line)
    drafts = write_schedules(model)
    sections = [Section(draft.given.name, draft.given.label, draft.schedule.label.lower()) for draft in drafts]
    settled = settlement_lines(model, book_of(model))
    if settled:
        sections.append(Section(SETTLED, "Paid in the month", "what no terms settle"))
    lines = [*model.lines, *(line for draft in drafts for line in draft.lines), *settled]
    openings = opening_balances(lines, model)
    statements = [_caption_line(caption, lines, model, openings) for caption in CAPTIONS]
    return replace(
        model,
        sections=(*model.sections, *sections, Section(STATEMENTS, "Statements")),
        lines=(*lines, *statements),
    )


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
        drafts.append(draft)
    return tuple(drafts)


def _refuse_posting(line: Line) -> None:
    """A line of the user's own posts where its other side is known: what it earns or costs is settled in cash."""
    place = f"lines/{line.name}/posts_to"
    if not line.posts_to or line.posts_to in OFFERED:
        return
    if line.posts_to not in POSTABLE:
        raise InvalidModel(UnknownName("caption to post to", line.posts_to, OFFERED).sentence, place)
    raise InvalidModel(
        f"{CAPTION_BY_NAME[line.posts_to].label} is written by schedules only: a line of your own would leave the "
        "balance sheet without its other side.",
        place,
    )


def build_plan(model: Model, earlier: Plan | None = None) -> Plan:
    """Return the assembled model compiled; faults of single formulas stay beside their lines.

    ``earlier`` is the plan before an edit: what it knows is taken over where the structure is the same.
    """
    return compile_model(assemble(model), earlier)


def check_plan(model: Model) -> Plan:
    """Return the assembled model compiled, or raise its first fault."""
    return check_model(assemble(model))


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
    for caption in CAPTIONS:
        if caption.is_balance and caption.formula and caption.name not in (*OPENING_CAPTIONS, "cash_after_overdraft"):
            openings[caption.name] = _total(caption.formula, openings)
    return openings


def _total(formula: str, values: Mapping[str, float]) -> float:
    """A total of captions: names added and taken away."""
    signed = re.findall(r"([-+]?)\s*([a-z_]+)", formula)
    return sum(-values[name] if sign == "-" else values[name] for sign, name in signed)


def _caption_line(caption: Caption, lines: list[Line], model: Model, openings: Mapping[str, float]) -> Line:
    posted = [line for line in lines if line.posts_to == caption.name]
    return Line(
        caption.name,
        caption.label,
        model.currency,
        section=STATEMENTS,
        formula=caption.formula or summed(posted),
        rollup=BALANCE if caption.is_balance else Rollup(),
        opening=openings.get(caption.name, 0.0),
        source=LineSource(STATEMENTS, caption.name),
    )
