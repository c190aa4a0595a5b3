"""Alternatives in all combinations: what the page asks for as sets, and the table they come to."""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.analysis.grid import Alternatives, Grid, line_phrase, read_set, split_phrase, try_all
from widefork.core.analysis.staffing import plans_and_shocks
from widefork.core.changes import Operation
from widefork.core.errors import ChangeRefused, InvalidModel, InvalidValue, UnknownName, WideforkError
from widefork.core.graph.model import Model
from widefork.web.shared.alternatives import AlternativesTable, build_alternatives, measure_of, measures_of
from widefork.web.shared.context import View, sentence_of

SLOTS = (("columns", "what one can do"), ("rows", "what may happen"), ("third", "and besides"))
MOST_LINES_LISTED = 400
MOST_MOVES = 4
MOST_DIGITS = 4


@dataclass(frozen=True, kw_only=True)
class Slot:
    """One set as the form asks for it. ``usual`` is what stands where no values are typed; ``fault`` what is wrong."""

    key: str
    words: str
    lead: str
    values: str
    usual: str
    fault: str


@dataclass(frozen=True, kw_only=True)
class AlternativesView:
    """The whole view. ``measures`` are (group, ((key, label), ...)); ``presets`` and ``turned`` are addresses."""

    slots: tuple[Slot, ...]
    leads: tuple[str, ...]
    measures: tuple[tuple[str, tuple[tuple[str, str], ...]], ...]
    measure: str
    best: str
    dimensions: tuple[tuple[str, str], ...]
    split: str
    presets: tuple[tuple[str, str], ...]
    turned: str
    table: AlternativesTable | None
    fault: str
    chosen: str
    first: str


def build_view(view: View, asked: Mapping[str, str]) -> AlternativesView:
    """Return the view for what the address asks; what cannot be read is said beside it, and the rest stays."""
    model, case = view.snapshot.model, view.address.case
    phrases = asked_phrases(model, case, asked)
    measures = measures_of(model, view.address.first, view.address.last)
    measure = measure_of(measures, asked.get("figure", ""))
    best = asked.get("best", "") or ("least" if measure.is_less_better else "most")
    split = asked.get("split", "") if asked.get("split", "") in model.dimension_by_name else ""
    slots, sets = [], []
    for key, words in SLOTS:
        read, fault = _read(model, case, phrases[key])
        sets.append((key, read))
        lead, values = split_phrase(model, phrases[key])
        usual = "; ".join(choice.label for choice in read.choices) if read is not None else ""
        slots.append(Slot(key=key, words=words, lead=lead.strip(), values=values.strip(), usual=usual, fault=fault))
    found = {key: read for key, read in sets if read is not None}
    table, fault = None, ""
    if "rows" in found and "columns" in found and not any(slot.fault for slot in slots):
        chosen = tuple(found[key] for key in ("rows", "columns", "third") if key in found)
        try:
            table = view.snapshot.kept(
                ("alternatives", case, chosen, measure, best, split),
                lambda: build_alternatives(view.snapshot.plan, case, chosen, measure, best == "least", split),
            )
        except (InvalidValue, InvalidModel, UnknownName, ChangeRefused) as refused:
            fault = sentence_of(refused)
    groups = dict.fromkeys(each.group for each in measures)
    turned = {"rows": phrases["columns"], "columns": phrases["rows"], "third": phrases["third"]}
    return AlternativesView(
        slots=tuple(slots),
        leads=_leads(model),
        measures=tuple((g, tuple((each.key, each.label) for each in measures if each.group == g)) for g in groups),
        measure=measure.key,
        best=best,
        dimensions=tuple((d.name, d.label or d.name) for d in model.dimensions),
        split=split,
        presets=tuple((label, _url(view, sets)) for label, sets in _presets(model, view, case)),
        turned=_url(view, turned),
        table=table,
        fault=fault,
        chosen=asked.get("cell", ""),
        first=str(model.timeline.first_plan),
    )


def _url(view: View, sets: Mapping[str, str]) -> str:
    """The address of the view with other sets, and nothing left of what was typed apart."""
    apart = {f"{key}_{part}": "" for key, _ in SLOTS for part in ("lead", "values")}
    return view.address.url(**{**apart, "cell": "", **sets})


def asked_phrases(model: Model, case: str, asked: Mapping[str, str]) -> dict[str, str]:
    """Return the phrase of every set, as an address or a form says them: whole, or its lead and its values apart."""
    found = {}
    for key, _ in SLOTS:
        lead, values = asked.get(f"{key}_lead"), asked.get(f"{key}_values", "")
        found[key] = asked.get(key, "") if lead is None else f"{lead.strip()}: {values.strip()}" if lead.strip() else ""
    usual = _usual(model, case)
    return found if any(found.values()) else {"columns": usual[0], "rows": usual[1], "third": ""}


def read_grid(view: View, asked: Mapping[str, str]) -> tuple[Grid, tuple[int, ...]]:
    """Return the grid a form is about, and the places of the cell it names.

    Raises
    ------
    InvalidValue, UnknownName: sets that cannot be read, or a cell that is not there.
    """
    model, case = view.snapshot.model, view.address.case
    phrases = asked_phrases(model, case, asked)
    sets = [read_set(model, case, phrases[key]) for key in ("rows", "columns", "third") if phrases[key]]
    parts = asked.get("cell", "").split(".")
    places = tuple(int(part) if part.isdecimal() and len(part) <= MOST_DIGITS else -1 for part in parts)
    if len(places) != len(sets) or any(not 0 <= p < len(s.choices) for p, s in zip(places, sets, strict=True)):
        raise InvalidValue("That cell is not in the table. Reload the page and choose again.")
    measure = measure_of(measures_of(model, view.address.first, view.address.last), asked.get("figure", ""))
    return try_all(view.snapshot.plan, case, sets, measure.figures), places


def _read(model: Model, case: str, phrase: str) -> tuple[Alternatives | None, str]:
    if not phrase:
        return None, ""
    try:
        return read_set(model, case, phrase), ""
    except WideforkError as fault:
        return None, sentence_of(fault)


def _usual(model: Model, case: str) -> tuple[str, str]:
    """What the page shows before anybody asks: columns and rows."""
    groups = list(dict.fromkeys(move.group for move in model.moves if move.group))
    on = {layer.move for layer in model.layers_of(case)}
    off = [move.label for move in model.moves if move.name not in on][:MOST_MOVES]
    lines = [
        line_phrase(model, line.name)
        for line in model.lines
        if line.is_assumption and not line.is_generated and not line.is_fixed
    ]
    columns = f"one of {groups[0]}" if groups else f"moves: {'; '.join(off)}" if off else ""
    rows = "cases" if len(model.cases) > 1 else ""
    spare = iter([*lines[:2], "", ""])
    return columns or next(spare), rows or next(spare)


def _presets(model: Model, view: View, case: str) -> list[tuple[str, dict[str, str]]]:
    """Tables somebody may want, by name."""
    found: list[tuple[str, dict[str, str]]] = []
    columns, rows = _usual(model, case)
    if columns and rows:
        found.append((f"{columns.partition(':')[0]} × {rows.partition(':')[0]}", _sets(columns, rows)))
    for given in (each for each in model.schedules if each.kind == "people"):
        plans, shocks = plans_and_shocks(view.snapshot.plan, given, case)
        if plans and shocks:
            moves = [f"moves: {'; '.join(move.label for move in each)}" for each in (plans, shocks)]
            found.append((f"{given.label}: plans × shocks", {**_sets(*moves), "figure": "sum:ebitda"}))
    for move in model.moves[:MOST_MOVES]:
        starts = f"start of {move.label}"
        found.append((f"{starts} × {rows.partition(':')[0]}", _sets(starts, rows)))
    return found if rows else []


def _sets(columns: str, rows: str) -> dict[str, str]:
    return {"columns": columns, "rows": rows, "third": ""}


def _leads(model: Model) -> tuple[str, ...]:
    """What a set may begin with."""
    groups = dict.fromkeys(move.group for move in model.moves if move.group)
    puts_off = [m for m in model.moves if any(change.operation is Operation.DEFER for change in m.changes)]
    lines = [line for line in model.lines if line.is_assumption and not line.is_fixed]
    return (
        "cases",
        *(("moves",) if model.moves else ()),
        *(f"one of {group}" for group in groups),
        *(f"start of {move.label}" for move in model.moves),
        *(f"strength of {move.label}" for move in model.moves),
        *(f"lost of {move.label}" for move in puts_off),
        *(line_phrase(model, line.name) for line in lines[:MOST_LINES_LISTED]),
        *(f"shape of {line_phrase(model, line.name)}" for line in lines[:MOST_LINES_LISTED] if line.is_flow),
    )
