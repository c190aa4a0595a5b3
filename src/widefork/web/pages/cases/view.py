"""The page of cases as plain data."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from widefork.core.axes import Grain
from widefork.web.pages.cases.about import About, build_about
from widefork.web.pages.cases.differs import Differs, build_differs
from widefork.web.pages.cases.reading import Reading
from widefork.web.pages.cases.steps import Steps, build_steps
from widefork.web.pages.cases.strip import Strip, build_strip
from widefork.web.pages.cases.tree import Tree, build_tree
from widefork.web.shared.context import View


@dataclass(frozen=True, kw_only=True)
class Cases:
    """The whole page. ``archived`` are (name, label, note, what it forked from); ``asked`` is kept by its filters."""

    tree: Tree
    differs: Differs
    steps: Steps
    strip: Strip | None
    about: About
    is_about: bool
    archived: tuple[tuple[str, str, str, str], ...]
    asked: tuple[tuple[str, str], ...]


def tabs_of(view: View, shown: str) -> tuple[tuple[str, str, bool], ...]:
    """Return the views of the page: label, address, and whether it is the one shown."""
    timeline, address = view.snapshot.model.timeline, view.address
    bare = dict.fromkeys(("section", "open", "about", "under", "who", "of", "only", "find", "named"), "")
    years = address
    if address.grain is Grain.MONTH:  # so many cases by month are wide; by year they fit
        years = replace(address, grain=Grain.YEAR, first=timeline.start, last=timeline.end)
    tree = address.url(None, view="", shown="", per="", grouped="", **bare)
    side = years.url(None, view="side", **bare)
    moves = address.url(None, view="moves", shown="", per="", grouped="", **bare)
    alternatives = address.url(None, view="alternatives", shown="", per="", grouped="", **bare)
    return (
        ("Tree and changes", tree, shown == ""),
        ("Side by side", side, shown == "side"),
        ("Moves", moves, shown == "moves"),
        ("Alternatives", alternatives, shown == "alternatives"),
    )


def build(view: View, asks: Mapping[str, str]) -> Cases:
    """Return the page for what its address asks."""
    reading = Reading(view, asks.get("figure", ""))
    opened, under = asks.get("open", ""), asks.get("under", "")
    model = reading.model
    labels = {case.name: case.label for case in reading.family.cases}
    return Cases(
        tree=build_tree(reading, asks.get("named", "")),
        differs=build_differs(
            reading, opened, asks.get("section", ""), asks.get("who", ""), asks.get("of", ""), bool(asks.get("only"))
        ),
        steps=build_steps(reading),
        strip=build_strip(reading, opened),
        about=build_about(reading, under),
        is_about=asks.get("about") == "yes" or bool(under),
        archived=tuple((case.name, case.label, case.note, labels[case.parent or ""]) for case in model.archived),
        asked=tuple((key, asks[key]) for key in ("figure", "section", "who", "of", "only", "named") if asks.get(key)),
    )
