"""What is asked of drivers: those chosen, one to be added, and what could not be read of it."""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.analysis.trends import Cause, CauseKind, Known, members_at, read_cause
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue, UnknownName, WideforkError
from widefork.core.graph.plan import Plan
from widefork.core.lines import Line

BETWEEN = "|"
"""Between drivers in an address."""
DRIVEN = ("driven", "drives", "add", "lag", "called", "when", "country")
MOST_DRIVERS = 12
DAYS, EVENT = "@days", "@event"
EVERY = "every "


@dataclass(frozen=True, kw_only=True)
class Driven:
    """The drivers asked for, and what is wrong with the one to be added, its fields as they stand."""

    causes: tuple[Cause, ...]
    texts: Mapping[str, str]
    fault: str

    @property
    def text(self) -> str:
        """The drivers as an address writes them."""
        return BETWEEN.join(cause.text for cause in self.causes)

    def without(self, place: int) -> str:
        """The same but for one."""
        return BETWEEN.join(cause.text for at, cause in enumerate(self.causes) if at != place)


def choices_of(known: Known, plan: Plan) -> tuple[tuple[str, str], ...]:
    """Return what may drive a series, as (value, label): lines that do not follow from it, series, days, events."""
    model = plan.model
    lines = [
        (line.name, line.label)
        for line in model.lines
        if line.source is None and _fits(line, known) and not follows(line.name, known, plan)
    ]
    own = {
        history.line: history.label or history.line
        for history in model.histories
        if history.line not in model.line_by_name and history.name != known.name
    }
    return ((DAYS, "working days"), (EVENT, "an event"), *own.items(), *lines)


def follows(line: str, known: Known, plan: Plan) -> bool:
    """Whether a line is computed from the series itself, or is it, so that it cannot drive it."""
    return known.line is not None and known.line.name in plan.upstream([line])


def _fits(line: Line, known: Known) -> bool:
    try:
        members_at(line, known)
    except WideforkError:
        return False
    return True


def read_driven(values: Mapping[str, str], known: Known, plan: Plan) -> Driven:
    """Return what is asked; a driver that cannot be read is left out, and said."""
    texts = {key: " ".join(values.get(key, "").split()) for key in DRIVEN}
    found: list[Cause] = []
    fault = ""
    for text in filter(None, texts["drives"].split(BETWEEN)):
        try:
            _take(read_cause(text), found, known, plan)
        except WideforkError as refused:
            fault = str(refused)
    if texts["add"]:
        try:
            _take(_added(texts), found, known, plan)
            texts |= dict.fromkeys(("add", "lag", "called", "when"), "")
        except WideforkError as refused:
            fault = str(refused)
    return Driven(causes=tuple(found), texts=texts, fault=fault)


def _take(cause: Cause, found: list[Cause], known: Known, plan: Plan) -> None:
    model = plan.model
    if cause.kind is CauseKind.LINE:
        line = model.line_by_name.get(cause.name)
        if line is None and cause.name not in [history.name for history in model.histories]:
            raise UnknownName("driver", cause.name, [name for name, _ in choices_of(known, plan)])
        if cause.name == known.name or (line is not None and follows(line.name, known, plan)):
            label = line.label if line is not None else known.label
            raise InvalidValue(f"{label} is computed from {known.label} itself, so it cannot drive it; choose another.")
    if cause in found:
        raise InvalidValue("This driver is there already; choose another, or another number of months later.")
    if len(found) >= MOST_DRIVERS:
        raise InvalidValue(f"Up to {MOST_DRIVERS} drivers are weighed at once; take one out first.")
    found.append(cause)


def _added(texts: Mapping[str, str]) -> Cause:
    lag = texts["lag"] or "0"
    if not lag.isdecimal():
        raise InvalidValue(f"Months later: expected 0 to 24; “{lag}” came.")
    if texts["add"] == DAYS:
        return Cause(CauseKind.DAYS, texts["country"].upper(), int(lag))
    if texts["add"] != EVENT:
        return Cause(CauseKind.LINE, texts["add"], int(lag))
    when = texts["when"].lower()
    if when.startswith(EVERY):
        name = when.removeprefix(EVERY).strip()
        place = next((at for at in range(1, 13) if Month(2000, at).label[:3].lower() == name[:3]), 0)
        return Cause(CauseKind.EVENT, texts["called"], int(lag), every=int(name) if name.isdecimal() else place)
    months = tuple(Month.parse(part.strip()) for part in texts["when"].split(",") if part.strip())
    return Cause(CauseKind.EVENT, texts["called"], int(lag), months)
