"""Puts a model together: the user's lines, the lines of its schedules, and the statements."""

from dataclasses import replace

from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.finance.schedules import SCHEDULES, Draft, summed
from widefork.core.finance.statements.captions import CAPTIONS, OPENING_CAPTIONS, POSTABLE, Caption
from widefork.core.graph.model import Model
from widefork.core.graph.plan import STATEMENTS, Plan, check_model, compile_model
from widefork.core.lines import BALANCE, Line, LineSource, Rollup, Section


def assemble(model: Model) -> Model:
    """Return the model with all its generated lines behind the user's own.

    Raises
    ------
    InvalidModel: an unknown schedule or caption, a setting that is missing or wrong, a name used twice.
    """
    drafts: list[Line] = []
    sections: list[Section] = []
    for given in model.schedules:
        try:
            schedule = SCHEDULES[given.kind]
        except UnknownName as fault:
            raise InvalidModel(fault.sentence, f"schedules/{given.name}") from fault
        unknown = set(given.settings) - {setting.key for setting in schedule.settings}
        if unknown:
            known = [setting.key for setting in schedule.settings]
            sentence = UnknownName("setting", sorted(unknown)[0], known).sentence
            raise InvalidModel(sentence, f"schedules/{given.name}")
        draft = Draft(schedule, given, model)
        schedule.write(draft)
        drafts.extend(draft.lines)
        sections.append(Section(given.name, given.label, schedule.label.lower()))
    lines = [*model.lines, *drafts]
    for line in lines:
        if line.posts_to and line.posts_to not in POSTABLE:
            sentence = UnknownName("caption to post to", line.posts_to, POSTABLE).sentence
            raise InvalidModel(sentence, f"lines/{line.name}/posts_to")
    statements = [_caption_line(caption, lines, model) for caption in CAPTIONS]
    return replace(
        model,
        sections=(*model.sections, *sections, Section(STATEMENTS, "Statements")),
        lines=(*lines, *statements),
    )


def build_plan(model: Model, earlier: Plan | None = None) -> Plan:
    """Return the assembled model compiled; faults of single formulas stay beside their lines.

    ``earlier`` is the plan before an edit: what it knows is taken over where the structure is the same.
    """
    return compile_model(assemble(model), earlier)


def check_plan(model: Model) -> Plan:
    """Return the assembled model compiled, or raise its first fault."""
    return check_model(assemble(model))


def _caption_line(caption: Caption, lines: list[Line], model: Model) -> Line:
    posted = [line for line in lines if line.posts_to == caption.name]
    opening = sum(line.opening for line in posted)
    if caption.name in OPENING_CAPTIONS:
        opening = model.opening_balances.get(caption.name, 0.0)
    if caption.name == "cash_after_overdraft":
        overdrawn = sum(line.opening for line in lines if line.posts_to == "overdraft")
        opening = model.opening_balances.get("cash", 0.0) - overdrawn
    return Line(
        caption.name,
        caption.label,
        model.currency,
        section=STATEMENTS,
        formula=caption.formula or summed(posted),
        rollup=BALANCE if caption.is_balance else Rollup(),
        opening=opening if caption.is_balance else 0.0,
        source=LineSource(STATEMENTS, caption.name),
    )
