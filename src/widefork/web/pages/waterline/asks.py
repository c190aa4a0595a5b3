"""What is being asked: something done about a payment, or money added."""

from dataclasses import dataclass

from widefork.core.analysis.waterline import MONEY, Money, charges_of, handle_of, read_waterline
from widefork.core.errors import ChangeRefused
from widefork.web.pages.waterline.answer import Answer
from widefork.web.shared.context import View


@dataclass(frozen=True, kw_only=True)
class Act:
    """A payment somebody is about to do something about."""

    name: str
    label: str
    first: str
    last: str
    choices: tuple[tuple[str, str], ...]
    reason: str


@dataclass(frozen=True, kw_only=True)
class Adding:
    """Money somebody is about to add, with what is proposed for it."""

    money: Money
    amount: str
    month: str
    months: str
    rate: str


def build_act(view: View, name: str) -> Act:
    """Return what can be done about a payment, and until when it matters."""
    plan, timeline = view.snapshot.plan, view.snapshot.model.timeline
    handle = handle_of(plan, name)
    choices: list[tuple[str, str]] = []
    if not handle.reason:
        choices += [("put_off", "put off, caught up over"), ("instalments", "cut into instalments, so many")]
        if handle.is_direct:
            choices.append(("forward", "bring forward by"))
    try:
        charged = [plan.model.line(line).label for line in charges_of(plan, name)]
    except ChangeRefused as fault:
        reason = handle.reason or fault.sentence
    else:
        reason = f"Reducing and dropping change what is charged: {', '.join(charged[:5])}."
        choices += [("reduce", "reduce what is charged"), ("drop", "drop what is charged")]
    reading = read_waterline(view.snapshot.results, view.place)
    first = reading.first_under if reading and reading.first_under else timeline.first_plan
    last = max(first, reading.lowest_month) if reading else first
    label = plan.model.line(name).label
    return Act(
        name=name,
        label=label,
        first=first.label,
        last=min(last, timeline.end).label,
        choices=tuple(choices),
        reason=reason,
    )


def build_adding(add: str, answer: Answer) -> Adding | None:
    """Return what is proposed for a way of adding money; None where none is asked for."""
    money = next((one for one in MONEY if one.name == add), None)
    if money is None:
        return None
    return Adding(
        money=money, amount=answer.amount, month=answer.month, months="12" if money.has_rate else "3", rate="8 %"
    )
