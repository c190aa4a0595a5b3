"""The page of Roots: the strips, what stands at the end of the way, and what hangs on it."""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.analysis.cohorts import adds_up, flows_in
from widefork.core.analysis.sensitivity import elasticities
from widefork.core.figures import Figure, Reduction
from widefork.core.graph.plan import STATEMENTS
from widefork.core.lines import Line
from widefork.web.pages.roots.steps import Step, periods_around, url_of, ways_to, with_members
from widefork.web.pages.roots.strips import AGAINST, BY_FORMULA, THAN, Strip, build_strips, can_split
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.finder import line_url
from widefork.web.shared.wording import change_words

PULLS_SHOWN = 8
Links = tuple[tuple[str, str], ...]


@dataclass(frozen=True, kw_only=True)
class Bottom:
    """The line at the end of the way.

    Parameters
    ----------
    can_try : whether an amount can be tried on it here. changes : what this case changes of it, in words.
    cohorts_url : where it stands by who came in when; empty where nobody does.
    """

    name: str
    at: str
    month: str
    last: str
    title: str
    text: str
    unit: str
    words: str
    note: str
    latest: str
    plausible: str
    changes: tuple[str, ...]
    can_try: bool
    url: str
    cohorts_url: str
    used_by: Links
    reaches: tuple[tuple[str, tuple[str, ...]], ...]


@dataclass(frozen=True, kw_only=True)
class RootsPage:
    """The whole page.

    ``assumptions`` lead straight to each line that is given, with the way kept; ``pull_key`` changes with what the
    ranking of assumptions hangs on.
    """

    title: str
    strips: tuple[Strip, ...]
    periods: tuple[tuple[str, str, bool], ...]
    comparisons: tuple[tuple[str, str, bool], ...]
    ways_to_split: tuple[tuple[str, str, bool], ...]
    bottom: Bottom
    assumptions: Links
    pull_url: str
    pull_key: str
    here: str


def build_page(view: View, steps: list[Step], than: str, latest: str, splits: str = "") -> RootsPage:
    """Return the page; raises what ``build_strips`` raises."""
    model = view.snapshot.model
    top = steps[0]
    names = view.snapshot.plan.assumptions_behind(top.line)
    ways = ways_to(view, top, names)
    offered = {k: v for k, v in THAN.items() if k != "actual" or top.first == top.last}
    own = model.case(view.address.case)
    offered |= {
        f"{AGAINST}{case.name}": f"than {case.label}" + (", its parent" if case.name == own.parent else "")
        for case in model.cases
        if case.name != own.name
    }
    sketched = len(view.sketch.sentences) if view.sketch else 0
    return RootsPage(
        title=with_members(model.line(top.line).label, top.members),
        strips=build_strips(view, steps, than, splits),
        ways_to_split=_ways_to_split(view, steps, than, splits),
        periods=tuple(
            (words, url_of(view.address, [step], than), on) for words, step, on in periods_around(model.timeline, top)
        ),
        comparisons=(
            ("what it is made of", url_of(view.address, steps), not than),
            *((v, url_of(view.address, steps, k), k == than) for k, v in offered.items()),
        ),
        bottom=_bottom(view, steps[-1], latest),
        assumptions=tuple((model.line(name).label, url_of(view.address, way)) for name, way in ways.items()),
        pull_url=view.address.url("roots/pull", line=top.line, at="/".join(top.members), start=top.first, end=top.last),
        pull_key=f"{top}:{view.address.case}:{view.snapshot.revision}:{sketched}",
        here=url_of(view.address, steps, than),
    )


def _ways_to_split(view: View, steps: list[Step], than: str, splits: str) -> tuple[tuple[str, str, bool], ...]:
    """A range at the end of the way: into its months, or by what it is made of."""
    last = steps[-1]
    if than or not can_split(view.snapshot.model.line(last.line), last):
        return ()
    here = url_of(view.address, steps)
    return (
        ("into months", here, splits != BY_FORMULA),
        ("by what it is made of", f"{here}&split={BY_FORMULA}", splits == BY_FORMULA),
    )


def _bottom(view: View, step: Step, latest: str) -> Bottom:
    model, plan = view.snapshot.model, view.snapshot.plan
    line = model.line(step.line)
    timeline = model.timeline
    rule = line.rules.get(step.members) or line.rules.get(())
    values = view.snapshot.results.values(line.name)
    place = tuple(d.index(m) for d, m in zip(model.dimensions_of(line), step.members, strict=False))
    one = values[(*place, timeline.index(step.last), view.place)] if len(place) == values.ndim - 2 else None
    direct = [name for name, need in plan.needs.items() if line.name in {*need.same_month, *need.earlier, *need.later}]
    return Bottom(
        name=line.name,
        at="/".join(step.members),
        month=str(max(step.first, timeline.first_plan)),
        last=str(step.last),
        title=with_members(line.label, step.members),
        text=formats.amount(float(one), line.unit) if one is not None else "",
        unit="" if line.unit.startswith("%") else line.unit,
        words=rule.words(lambda value: formats.amount(value, line.unit)) if rule else line.formula or _by(line),
        note=line.note,
        latest=latest,
        plausible=_plausible(line),
        changes=tuple(change_words(c, model) for c in model.changes_of(view.address.case) if c.line == line.name),
        can_try=line.is_assumption and step.last >= timeline.first_plan,
        url="" if line.source is not None and line.source.schedule == STATEMENTS else line_url(view.address, line),
        cohorts_url=_cohorts_url(view, line),
        used_by=tuple(
            (
                model.line(name).label,
                url_of(view.address, [Step(line=name, members=(), first=step.first, last=step.last)]),
            )
            for name in direct
            if name in model.line_by_name
        ),
        reaches=_reaches(view, line.name),
    )


def _cohorts_url(view: View, line: Line) -> str:
    """Where the line stands by who came in when; empty where nobody does, or cohorts do not add up to it."""
    flows = dict(flows_in(view.snapshot.plan))
    if line.name in flows:
        return view.address.url("cohorts", flow=line.name)
    behind = view.snapshot.plan.upstream([line.name])
    flow = next((name for name in flows if name in behind), "") if adds_up(line) and line.formula is not None else ""
    return view.address.url("cohorts", flow=flow, of=line.name) if flow else ""


def _by(line: Line) -> str:
    return f"by {', '.join(line.dimensions)}" if line.dimensions else ""


def _plausible(line: Line) -> str:
    known = line.plausible
    if known is None:
        return ""
    if known.is_relative:
        return f"{known.low * 100:+.4g} % to {known.high * 100:+.4g} %"
    return f"{formats.amount(known.low, line.unit)} to {formats.amount(known.high, line.unit)}"


def _reaches(view: View, name: str) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """What a line has a part in, by the page it stands on: each page with the labels of its rows."""
    plan, model = view.snapshot.plan, view.snapshot.model
    users: dict[str, list[str]] = {}
    for user, need in plan.needs.items():
        for part in {*need.same_month, *need.earlier, *need.later}:
            users.setdefault(part, []).append(user)
    found, waiting = {name}, [name]
    while waiting:
        for user in users.get(waiting.pop(), ()):
            if user not in found:
                found.add(user)
                waiting.append(user)
    kinds = {given.name: given.kind for given in model.schedules}
    pages: dict[str, list[str]] = {"Drivers": [], "People": [], "Terms": [], "Statements": []}
    for line in model.lines:
        if line.name in found and line.name != name:
            pages[_page_of(line, kinds)].append(line.label)
    return tuple((page, tuple(labels)) for page, labels in pages.items() if labels)


def _page_of(line: Line, kinds: Mapping[str, str]) -> str:
    if line.source is None:
        return "Drivers"
    if line.source.schedule == STATEMENTS:
        return "Statements"
    return "People" if kinds.get(line.source.schedule) == "people" else "Terms"


@dataclass(frozen=True, kw_only=True)
class Pull:
    """How strongly an assumption pulls at a figure: percent of it per percent, and its bar from 0 to 1."""

    label: str
    text: str
    share: float
    is_less: bool
    url: str


def build_pulls(view: View, top: Step) -> tuple[Pull, ...]:
    """Return the assumptions a figure hangs on most, the strongest first."""
    model = view.snapshot.model
    figure = Figure("here", "here", top.line, top.members, top.first, top.last, Reduction.SUM)
    found = elasticities(view.snapshot.plan, model.changes_of(view.address.case), figure)
    known = [entry for entry in found if entry.value == entry.value and abs(entry.value) > 5e-4][:PULLS_SHOWN]
    ways = ways_to(view, top, [entry.line for entry in known])
    most = max((abs(entry.value) for entry in known), default=1.0)
    return tuple(
        Pull(
            label=model.line(entry.line).label,
            text=formats.plain_number(entry.value, 2),
            share=abs(entry.value) / most,
            is_less=entry.value < 0,
            url=url_of(view.address, ways.get(entry.line, [top])),
        )
        for entry in known
    )
