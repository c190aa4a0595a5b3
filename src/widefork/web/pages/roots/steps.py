"""Ways down: the steps from a figure to what it is made of, and their addresses."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidValue
from widefork.core.lines import MemberKey
from widefork.web.shared.address import Address
from widefork.web.shared.context import View

DEEPEST = 12


@dataclass(frozen=True, kw_only=True)
class Step:
    """One level: a line at some members over some months."""

    line: str
    members: MemberKey
    first: Month
    last: Month

    @classmethod
    def parse(cls, text: str) -> "Step":
        """Return the step a text names; raise InvalidValue."""
        parts = text.split(":")
        if len(parts) != 4:
            raise InvalidValue(f"Expected a step of Roots; got “{text}”. Begin again from the figure.")
        line, at, first, last = parts
        members = tuple(part for part in at.split("/") if part)
        return cls(line=line, members=members, first=Month.parse(first), last=Month.parse(last))

    def __str__(self) -> str:
        return ":".join((self.line, "/".join(self.members), str(self.first), str(self.last)))


def read_way(view: View, way: str, last: Step) -> list[Step]:
    """Return the steps above a figure and the figure itself; steps that no longer exist are left out."""
    steps = []
    for text in way.split("~"):
        try:
            step = Step.parse(text)
        except InvalidValue:
            continue
        if step.line in view.snapshot.model.line_by_name and step != last:
            steps.append(step)
    return [*steps[-DEEPEST:], last]


def url_of(address: Address, steps: list[Step], than: str = "") -> str:
    """Return the address of a way down."""
    last = steps[-1]
    way = "~".join(str(step) for step in steps[:-1])
    return address.url(
        "roots", line=last.line, at="/".join(last.members), start=last.first, end=last.last, way=way, than=than
    )


def with_members(label: str, members: MemberKey) -> str:
    """Return a label with the members it is about."""
    return f"{label}, {', '.join(members)}" if members else label


def range_words(first: Month, last: Month) -> str:
    """Return a range of months in words."""
    return first.label if first == last else f"{first.label} to {last.label}"


def periods_around(timeline: Timeline, step: Step) -> Iterator[tuple[str, Step, bool]]:
    """Other periods a figure can be read over: its month, its quarter, its year, the one before and after."""
    year = [month for month in timeline.months if timeline.fiscal_year(month) == timeline.fiscal_year(step.last)]
    quarter = [m for m in year if timeline.fiscal_quarter(m) == timeline.fiscal_quarter(step.last)]
    for words, first, last in (
        (step.last.label, step.last, step.last),
        (f"Q{timeline.fiscal_quarter(step.last)[1]}", quarter[0], quarter[-1]),
        (f"FY{timeline.fiscal_year(step.last) % 100:02d}", year[0], year[-1]),
    ):
        other = Step(line=step.line, members=step.members, first=first, last=last)
        yield words, other, other == step
    length = step.last.ordinal - step.first.ordinal + 1
    for words, by in (("earlier", -length), ("later", length)):
        first, last = step.first.plus(by), step.last.plus(by)
        if timeline.start <= first and last <= timeline.end:
            yield words, Step(line=step.line, members=step.members, first=first, last=last), False


def ways_to(view: View, top: Step, names: Iterable[str]) -> dict[str, list[Step]]:
    """Return the shortest way down from a figure to each of some lines, in the same months, over all members."""
    needs = view.snapshot.plan.needs
    model = view.snapshot.model
    came: dict[str, str] = {top.line: ""}
    waiting = [top.line]
    while waiting:
        name = waiting.pop(0)
        need = needs.get(name)
        for part in (*need.same_month, *need.earlier, *need.later) if need is not None else ():
            if part not in came:
                came[part] = name
                waiting.append(part)
    found = {}
    for name in names:
        way, at = [], name
        while at and at in came:
            if at in model.line_by_name:
                way.append(at)
            at = came[at]
        if way and way[-1] == top.line:
            found[name] = [
                top,
                *(Step(line=line, members=(), first=top.first, last=top.last) for line in way[::-1][1:]),
            ]
    return found
