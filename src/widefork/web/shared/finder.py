"""Going to a line, page, figure or case by its name."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from flask import Blueprint, render_template, request

from widefork.core.graph.plan import STATEMENTS
from widefork.core.lines import Line
from widefork.web.shared.address import Address
from widefork.web.shared.context import View, open_view
from widefork.web.shared.page import Page

MOST_FOUND = 12
UNFIT = 4


@dataclass(frozen=True, kw_only=True)
class Found:
    """Something to go to."""

    label: str
    kind: str
    aside: str
    url: str


def init_finder(pages: Sequence[Page]) -> Blueprint:
    """Return the finder's routes over these pages."""

    def find(model_id: int) -> str:
        """List what a text could mean, the nearest first."""
        page = request.args.get("page", "")
        known = [entry.name for entry in pages]
        view = open_view(model_id, page if page in known else "lookout")
        view = replace(view, address=replace(view.address, own=()))
        found = ranked(request.args.get("q", ""), list(everything(view, pages)))
        return render_template("shared/_found.html", found=found)

    blueprint = Blueprint("finder", __name__)
    blueprint.add_url_rule("/m/<int:model_id>/find", "find", find)
    return blueprint


def ranked(text: str, entries: list[Found]) -> list[Found]:
    """Return the entries a text fits, those that begin with it first; all kinds a little where nothing is typed."""
    asked = " ".join(text.lower().split())
    if not asked:
        return entries[:MOST_FOUND]

    def rank(entry: Found) -> int:
        label = entry.label.lower()
        if label.startswith(asked):
            return int(label != asked)
        words = f"{label} {entry.aside.lower()}"
        return 2 if f" {asked}" in f" {words}" else 3 if all(part in words for part in asked.split()) else UNFIT

    fitting = [(rank(entry), place, entry) for place, entry in enumerate(entries)]
    return [entry for place, _, entry in sorted(fitting, key=lambda found: found[:2]) if place < UNFIT][:MOST_FOUND]


def everything(view: View, pages: Sequence[Page]) -> Iterator[Found]:
    """All there is to go to: pages and cases first."""
    model, address = view.snapshot.model, view.address
    for page in pages:
        if page.label:
            yield Found(label=page.label, kind="page", aside="", url=address.url(page.name))
    for case in model.cases:
        yield Found(label=case.label, kind="case", aside=case.note, url=address.url(case=case.name))
    for figure in model.figures:
        last = figure.last or model.timeline.end
        url = address.url("roots", line=figure.line, at="/".join(figure.members), start=last, end=last)
        yield Found(label=figure.label, kind="figure", aside=model.line(figure.line).label, url=url)
    sections = {section.name: section.label for section in model.sections}
    for line in model.lines:
        yield Found(label=line.label, kind="line", aside=sections[line.section], url=line_url(address, line))


def line_url(address: Address, line: Line) -> str:
    """Return where a line stands: in Drivers, or for captions and totals in Statements."""
    if line.source is not None and line.source.schedule == STATEMENTS:
        return address.url("statements")
    opened = line.source.schedule if line.source is not None else None
    return f"{address.url('drivers', open=opened, focus=line.name)}#row-{line.name}"
