"""The page of cohorts as plain data: who can be followed, what they are measured in, and the triangle."""

from collections.abc import Iterator
from dataclasses import dataclass

from widefork.core.analysis.cohorts import adds_up, flows_in, unfold
from widefork.core.graph.plan import STATEMENTS
from widefork.core.lines import Line
from widefork.web.shared.context import View
from widefork.web.shared.triangle import Joined, Triangle, build_triangle

Links = tuple[tuple[str, str, bool], ...]


@dataclass(frozen=True, kw_only=True)
class CohortsPage:
    """The whole page.

    Parameters
    ----------
    groups : by section, the flows to choose from: label, address, is open.
    measures : by group, what they can be measured in: line, label, is chosen.
    period : what a cohort is: month, quarter or year. begins : the first plan month, before which all is history.
    nobody : what is said where there is no row. roots_url : of the line.
    """

    groups: tuple[tuple[str, Links], ...]
    measures: tuple[tuple[str, Links], ...] = ()
    flow: str = ""
    flow_label: str = ""
    line_label: str = ""
    period: str = ""
    begins: str = ""
    nobody: str = ""
    triangle: Triangle | None = None
    roots_url: str = ""


def build(view: View, asked: dict[str, str]) -> CohortsPage:
    """Return the page; ``asked`` are the address's words: ``flow``, ``of`` (the line) and ``fold``.

    A line without a flow takes the first flow it depends on; a flow without a line the level it ends in.
    """
    model, plan = view.snapshot.model, view.snapshot.plan
    flows = dict(flows_in(plan))
    if not flows:
        return CohortsPage(groups=())
    line, flow = asked.get("of", ""), asked.get("flow", "")
    if flow not in flows:
        behind = plan.upstream([line]) if line in model.line_by_name else frozenset()
        flow = next((name for name in flows if name in behind), next(iter(flows)))
    options = list(_measured(view, flow))
    if line not in {one.name for _, one in options}:
        line = flows[flow]
    shown = model.line(line)
    grain, changes = view.address.grain, model.changes_of(view.address.case)
    found = unfold(plan, changes, flow, line, grain, view.address.last)
    cohorts = [
        Joined(
            label=", ".join(filter(None, (one.period.label, one.period.note))),
            first=one.period.first,
            count=one.joined,
            months=one.values,
        )
        for one in found.cohorts
    ]
    labels, begins, until = ("without them", shown.label), model.timeline.first_plan, view.address.last
    nobody = f"Cohorts begin with the plan, in {begins.label}; all in view here is history."
    if begins <= until:
        nobody = f"Nobody comes in by {model.line(flow).label} from {begins.label} to {until.label}."
    return CohortsPage(
        groups=_groups(view, flows, flow),
        measures=tuple(
            (group, tuple((one.name, one.label, one.name == line) for label, one in options if label == group))
            for group in dict.fromkeys(label for label, _ in options)
        ),
        flow=flow,
        flow_label=model.line(flow).label,
        line_label=shown.label,
        period=grain.value,
        begins=begins.label,
        nobody=nobody,
        triangle=build_triangle(view, cohorts, found.total, labels, shown.unit, shown.is_flow),
        roots_url=view.address.url("roots", line=line, start=view.address.last, end=view.address.last),
    )


def _groups(view: View, flows: dict[str, str], chosen: str) -> tuple[tuple[str, Links], ...]:
    model = view.snapshot.model
    found = []
    for section in model.sections:
        own = [model.line(name) for name in flows if model.line(name).section == section.name]
        if own:
            links = tuple((_short(line, section.label), view.address.url(flow=line.name, of=""), line.name == chosen)
                          for line in own)  # fmt: skip
            found.append((section.label, links))
    return tuple(found)


def _short(line: Line, section: str) -> str:
    """A line's label without its section's name before it, under whose heading it stands."""
    return line.label.removeprefix(f"{section}: ")


def _measured(view: View, flow: str) -> Iterator[tuple[str, Line]]:
    """What a flow's cohorts can be measured in, with the group it stands in: lines of its section, then captions."""
    model, plan = view.snapshot.model, view.snapshot.plan
    own = model.line(flow)
    section = next(one.label for one in model.sections if one.name == own.section)
    for line in model.lines:
        is_caption = line.source is not None and line.source.schedule == STATEMENTS
        is_offered = (line.section == own.section or is_caption) and line.name != flow and line.formula is not None
        if is_offered and adds_up(line) and flow in plan.upstream([line.name]):
            yield section if line.section == own.section else "Statements", line
