"""Steps tried in a sketch: something done about a payment, money added, what was proposed taken."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from widefork.core.analysis.waterline import (
    MONEY_BY_NAME,
    Ask,
    bring_forward,
    changes_for,
    charges_of,
    checked_span,
    handle_of,
    instalments,
    put_off,
    reduce,
    schedule_for,
)
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.graph.model import Model, ScheduleSettings
from widefork.web.pages.waterline.answer import has_overdraft, limit_in, loan_in, need_in
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.naming import name_from
from widefork.web.shared.wording import caught_up

Form = Mapping[str, str]
_BRIDGE = "Bridging loan"


@dataclass(frozen=True)
class Tried:
    """A step: its changes, and a schedule that is to stand in the model for them; None for none."""

    changes: tuple[Change, ...]
    sentence: str
    schedule: ScheduleSettings | None = None


def plan_act(view: View, form: Form) -> Tried:
    """Return the step of doing something about a payment.

    Raises
    ------
    InvalidValue, ChangeRefused, UnknownName: what was expected, what came.
    """
    plan, results = view.snapshot.plan, view.snapshot.results
    line = plan.model.line(form.get("line", ""))
    first, last = (Month.parse(form.get(key, "").strip()) for key in ("first", "last"))
    doing = form.get("doing", "")
    months = _whole(form.get("months", "1"), "How many months") if doing not in ("reduce", "drop") else 1
    span = checked_span(plan, first, last, months)
    share = formats.read_number((form.get("share", "").strip() or "100").removesuffix("%")) / 100
    when = f"in {first.label}" if first == last else f"from {first.label} to {last.label}"
    what = f"{share * 100:g} %" if share != 1 else "all"
    label = line.label
    match doing:
        case "put_off":
            changes = put_off(results, view.place, line.name, share, span)
            by_itself = not handle_of(plan, line.name).catches_up
            paid = "repaid with the rest" if by_itself else caught_up(last, months, plan.model.timeline.end)
            told = f"{label}: {what} put off {when}, {paid}"
        case "instalments":
            changes = instalments(results, view.place, line.name, months, span)
            told = f"{label}: cut into {months} instalments {when}"
        case "forward":
            changes = bring_forward(results, view.place, line.name, share, span)
            told = f"{label}: {what} brought forward by {months} months {when}"
        case "reduce" | "drop":
            changes = reduce(plan, line.name, 1.0 if doing == "drop" else share, span)
            names = ", ".join(plan.model.line(name).label for name in charges_of(plan, line.name)[:3])
            told = f"{names}: {'dropped' if doing == 'drop' else f'{what} less'} {when}"
        case _:
            raise InvalidValue(f"The Waterline knows no “{doing}”. Reload the page and try again.")
    return Tried(changes, told)


def plan_money(view: View, form: Form) -> Tried:
    """Return the step of adding money."""
    model = view.snapshot.stored.model
    name = form.get("money", "")
    if name not in MONEY_BY_NAME:
        raise UnknownName("way of adding money", name, MONEY_BY_NAME)
    money = MONEY_BY_NAME[name]
    ask = Ask(
        formats.read_number(form.get("amount", "")),
        Month.parse(form.get("month", "").strip()),
        _whole(form.get("months", "1") or "1", "How many months"),
        formats.read_number((form.get("rate", "").strip() or "0").removesuffix("%")) / 100,
    )
    schedule, is_new = schedule_for(money, ask, model)
    if is_new:
        schedule = _standing(view, schedule, money.label)
    unit = model.currency
    sentence = f"{schedule.label if is_new else money.label}: {formats.exact(ask.amount, unit)} in {ask.month.label}"
    return Tried(changes_for(money, schedule.name, ask), sentence, schedule if is_new else None)


def plan_proposal(view: View, form: Form) -> Tried:
    """Return the step of taking the loan or the limit proposed."""
    need = need_in(view)
    if need is None:
        raise InvalidValue("This case is not short any more, so there is nothing to propose.")
    unit = view.snapshot.model.currency
    if form.get("way") == "limit":
        limit = limit_in(view, need)
        if limit is None:
            raise InvalidValue("No higher limit carries this case, or there is no overdraft; add one under Terms.")
        raised = Change(f"{has_overdraft(view)}_limit", Operation.ADD, limit.amount, (), limit.first, limit.last)
        until = f" to {limit.last.label}" if limit.last else ""
        words = f"Overdraft limit {formats.amount(limit.amount, unit)} higher from {limit.first.label}{until}"
        return Tried((raised,), words)
    loan = loan_in(view, need)
    if loan is None:
        raise InvalidValue("No loan repaid within three years carries this case; lower what goes out first.")
    schedule = _standing(
        view, ScheduleSettings("loan", "", _label(_BRIDGE, view.snapshot.model), loan.settings), _BRIDGE
    )
    drawn = Change(f"{schedule.name}_amount", Operation.ADD, loan.amount)
    words = (
        f"{schedule.label}: {formats.amount(loan.amount, unit)} in {loan.drawn.label}, repaid by {loan.repaid_by.label}"
    )
    return Tried((drawn,), words, schedule)


def _standing(view: View, schedule: ScheduleSettings, label: str) -> ScheduleSettings:
    """A schedule tried before and not used by anybody, with other settings; or else a new one under a free name."""
    model = view.snapshot.stored.model
    tried = view.sketch.changes if view.sketch is not None else ()
    about = {change.line for change in (*model.all_changes, *tried)}
    for known in model.schedules:
        is_alike = (
            known.kind == schedule.kind
            and known.label.startswith(label)
            and set(known.settings) <= set(schedule.settings)
        )
        amounts = [known.settings.get(key, 0) for key in ("amount", "added", "taken", "granted", "paid_in")]
        is_used = any(name.startswith(f"{known.name}_") for name in about)
        if is_alike and not is_used and not any(amounts):
            return replace(known, settings=schedule.settings)
    return _named(schedule, model)


def _named(schedule: ScheduleSettings, model: Model) -> ScheduleSettings:
    taken = {given.name for given in model.schedules}
    name = name_from(schedule.label, taken)
    while any(line.name.startswith(f"{name}_") for line in model.lines):
        taken.add(name)
        name = name_from(schedule.label, taken)
    return replace(schedule, name=name)


def _label(label: str, model: Model) -> str:
    taken = {given.label for given in model.schedules}
    return next(found for n in range(1, 1000) if (found := label if n == 1 else f"{label} {n}") not in taken)


def _whole(text: str, what: str) -> int:
    given = text.strip()
    if not given.isascii() or not given.isdecimal():
        raise InvalidValue(f"{what}? Expected a whole number; got “{given}”.")
    return int(given[:6])
