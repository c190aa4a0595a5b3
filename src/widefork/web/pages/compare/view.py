"""The page of comparison as plain data: what is compared, drawn, listed and explained."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from hashlib import blake2s

from werkzeug.datastructures import MultiDict

from widefork.core.figures import Figure
from widefork.web.pages.compare.chart import SHAPES, Chart, SmallRow, build_chart, build_small
from widefork.web.pages.compare.sides import Sides, read_sides
from widefork.web.pages.compare.table import MODES, SHOWN, USUAL_LINES, Table, build_table
from widefork.web.shared.context import View

CHARTED = "cash_after_overdraft"


@dataclass(frozen=True, kw_only=True)
class Explained:
    """What is explained: from which case to which, in which figure; ``url`` answers it, ``key`` stands for it."""

    origin: str
    target: str
    figure: str
    cases: tuple[tuple[str, str], ...]
    url: str
    key: str


@dataclass(frozen=True, kw_only=True)
class Compare:
    """The whole page. ``figures`` and ``lines`` are (name, label, is chosen) to choose from."""

    sides: Sides
    chart: Chart
    small: tuple[SmallRow, ...]
    shape: str
    shapes: tuple[tuple[str, str, bool], ...]
    line: str
    table: Table
    mode: str
    modes: tuple[tuple[str, str, bool], ...]
    shown: str
    showns: tuple[tuple[str, str, bool], ...]
    figures: tuple[tuple[str, str, bool], ...]
    lines: tuple[tuple[str, str, bool], ...]
    explained: Explained | None
    kept: tuple[tuple[str, str], ...]
    first: str
    last: str


def build(view: View, asked: "MultiDict[str, str]") -> Compare:
    """Return the page for what its address asks."""
    model, address = view.snapshot.model, view.address
    sides = read_sides(view, asked.getlist("with"), asked.get("against", ""))
    figures = chosen_figures(view, asked.getlist("figure"))
    lines = [name for name in asked.getlist("row") if name in model.line_by_name] or list(USUAL_LINES)
    line = asked.get("line", "") if asked.get("line", "") in model.line_by_name else CHARTED
    shape = asked.get("shape", "") if asked.get("shape", "") in dict(SHAPES) else "level"
    mode = asked.get("mode", "") if asked.get("mode", "") in dict(MODES) else "amounts"
    shown = asked.get("shown", "") if asked.get("shown", "") in dict(SHOWN) else "figures"
    return Compare(
        sides=sides,
        chart=build_chart(view, sides, line, "level" if shape == "small" else shape),
        small=build_small(view, sides, lines) if shape == "small" else (),
        shape=shape,
        shapes=tuple((key, address.url(shape=key), key == shape) for key, _ in SHAPES),
        line=line,
        table=build_table(view, sides, figures, lines, mode, shown),
        mode=mode,
        modes=tuple((words, address.url(mode=key), key == mode) for key, words in MODES),
        shown=shown,
        showns=tuple((words, address.url(shown=key), key == shown) for key, words in SHOWN),
        figures=tuple((figure.name, figure.label, figure in figures) for figure in model.figures),
        lines=tuple((each.name, each.label, each.name in lines) for each in model.lines),
        explained=_explained(view, sides, asked),
        kept=tuple((key, value) for key, value in address.own if key not in ("since",)),
        first=str(model.timeline.start),
        last=str(model.timeline.end),
    )


def chosen_figures(view: View, chosen: Sequence[str]) -> list[Figure]:
    """Return the figures an address asks for, all where it asks for none."""
    figures = view.snapshot.model.figures
    return [figure for figure in figures if not chosen or figure.name in chosen] or list(figures)


def explained_cases(view: View, sides: Sides, asked: Mapping[str, str]) -> tuple[str, str]:
    """Return from which case to which a difference is explained: the yardstick, and the active case or another."""
    model = view.snapshot.model
    names = [each.case for each in sides.compared if each.case] or [model.cases[0].name]
    origin = asked.get("from_case", "") if asked.get("from_case", "") in model.case_by_name else names[0]
    target = asked.get("explain", "") if asked.get("explain", "") in model.case_by_name else view.address.case
    if target == origin:
        others = [case.name for case in model.cases if case.name != origin]
        parent = model.case(origin).parent
        target = parent if parent else next((name for name in names if name != origin), others[0] if others else origin)
    return origin, target


def explained_figure(view: View, asked: Mapping[str, str]) -> Figure | None:
    """Return the figure explained: the one asked for, the first pinned, the first; None where there is none."""
    figures = view.snapshot.model.figures
    named = [figure for figure in figures if figure.name == asked.get("of", "")]
    pinned = [figure for figure in figures if figure.is_pinned]
    return next(iter([*named, *pinned, *figures]), None)


def _explained(view: View, sides: Sides, asked: Mapping[str, str]) -> Explained | None:
    model = view.snapshot.model
    figure = explained_figure(view, asked)
    if len(model.cases) < 2 or figure is None:
        return None
    origin, target = explained_cases(view, sides, asked)
    query = {"from_case": origin, "explain": target, "of": figure.name}
    url = view.address.url(**query).replace("/compare?", "/compare/why?", 1)
    return Explained(
        origin=origin,
        target=target,
        figure=figure.name,
        cases=tuple((case.name, case.label) for case in model.cases),
        url=url,
        key=blake2s(f"{view.snapshot.revision} {url}".encode(), digest_size=6).hexdigest(),
    )
