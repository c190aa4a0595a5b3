"""What the sheets of a workbook are written from: the plan evaluated in every case, and where everything stands."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from functools import cached_property

from xlsxwriter.utility import xl_col_to_name

from widefork.core.axes import Month
from widefork.core.engine import evaluate
from widefork.core.graph.calculate import Results
from widefork.core.graph.counters import counter_values
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan
from widefork.core.graph.spreading import Spreading
from widefork.core.lines import Line, MemberKey
from widefork.files.workbook.cached import Cached
from widefork.files.workbook.formulas import CellFormulas, not_in_cells
from widefork.files.workbook.given import DATE
from widefork.files.workbook.layout import CASES, CURVES, HEAD, LABELS, TIME, lay_out
from widefork.files.workbook.pieces import At, Fixed, Pieces, Places, Ref
from widefork.files.workbook.reach import reach_of
from widefork.files.workbook.steps import CaseStep, StepCells, switched_moves

CASE_NAME, CASE_NUMBER = f"'{CASES}'!$B$1", f"'{CASES}'!$B$2"
"""The cell that chooses the case, and its place among them, from 1."""
FIRST_STEP = 6
"""The row of the Cases sheet its table of steps begins in, behind the moves' table."""


@dataclass
class Counted:
    """Cells of calculated lines, and how many of them are formulas."""

    cells: int = 0
    live: int = 0


class Material:
    """A plan and where it stands in a workbook.

    Parameters
    ----------
    plan : compiled. case : name of the case that is chosen in it. on : the day it is written.
    """

    def __init__(self, plan: Plan, case: str, on: date) -> None:
        self.plan, self.model, self.on = plan, plan.model, on
        self.timeline, self.months = plan.model.timeline, plan.model.timeline.month_count
        self.case = plan.model.case(case)
        names = [each.name for each in self.model.cases]
        self.entry = names.index(self.case.name)
        layers = [self.model.layers_of(name) for name in names]  # without a sketch, which nobody has kept
        changes = [tuple(change for layer in own for change in layer.changes) for own in layers]
        self.results: Results = evaluate(plan, changes)
        self.switched = switched_moves(self.model)
        self.cached = Cached(self.results, self.entry)
        self.reach = reach_of(self.results)
        self.first = LABELS + self.reach.before
        self.columns = [xl_col_to_name(column) for column in range(self.first + self.months + self.reach.after)]
        self.spreading = Spreading(plan)
        self.fixed: Mapping[str, str] = not_in_cells(plan)
        self.layout = lay_out(plan, self.spreading, self.fixed)
        self.formulas = CellFormulas(plan, self.spreading, self._places(), self.reach.counted_back)
        self.counted = Counted()
        self.label = case_labels(self.model)[self.entry]
        self.decimals = {form.many: form.decimals for form in self.model.units if form.decimals is not None}

    def _places(self) -> Places:
        known = counter_values(self.timeline, self.model.flags)
        counters = {name: At(TIME, HEAD + place) for place, name in enumerate(known)}
        counters[DATE] = At(TIME, HEAD - 2)
        curves = {p.name: (HEAD + 2 * place, len(p.values)) for place, p in enumerate(self.model.profiles)}
        profiles = {name: Fixed(At(CURVES, row), 1, size) for name, (row, size) in curves.items()}
        steps = {name: Fixed(At(CURVES, row + 1), 1, size) for name, (row, size) in curves.items()}
        ages = Fixed(At(CURVES, HEAD - 1), 1, self.reach.counted_back)
        return Places(self.layout.lines, counters, profiles, steps, ages)

    @property
    def counters(self) -> Mapping[str, At]:
        """The rows of counters, flags and dates."""
        return self.formulas.places.counters

    @cached_property
    def steps(self) -> Mapping[int, tuple[CaseStep, StepCells]]:
        """All steps in the order they stand in the workbook, by their identity, each with its cells."""
        found: dict[int, CaseStep] = {}
        for sheet in self.layout.sheets:
            found |= {id(row.step): row.step for row in sheet.rows if row.step is not None}
        first = FIRST_STEP + len(self.model.moves)
        return {
            key: (step, StepCells(*(Fixed(At(CASES, first + place), column, column) for column in range(3, 8))))
            for place, (key, step) in enumerate(found.items())
        }

    # Cells

    def texts(self, pieces: Pieces, sheet: str) -> Callable[[int], str]:
        """Return a row's formula as a sheet writes it, for any month's place."""
        between, offsets = self._compiled(pieces, sheet)
        head, tail, columns, first = (
            "=" + between[0],
            list(zip(offsets, between[1:], strict=True)),
            self.columns,
            self.first,
        )
        if not tail:
            return lambda month: head

        def text(month: int) -> str:
            at = first + month
            return head + "".join([columns[at + offset] + said for offset, said in tail])

        return text

    def _compiled(self, pieces: Pieces, sheet: str) -> tuple[list[str], list[int]]:
        """What stands between the columns that move along, and how far from its own each of those is."""
        between, offsets = [""], []
        for place, piece in enumerate(pieces):
            if isinstance(piece, str):
                between[-1] += piece
                continue
            is_second = place > 0 and pieces[place - 1] == ":"
            outside = "" if piece.at.sheet == sheet or is_second else f"'{piece.at.sheet}'!"
            if isinstance(piece, Ref):
                between[-1] += outside
                offsets.append(piece.offset)
                between.append(str(piece.at.row + 1))
            elif isinstance(piece, Fixed):
                ends = dict.fromkeys((piece.first, piece.last))
                between[-1] += outside + ":".join(f"${xl_col_to_name(end)}${piece.at.row + 1}" for end in ends)
            else:
                between[-1] += (
                    f"{outside}${self.columns[LABELS if piece.is_earliest else self.first]}{piece.at.row + 1}"
                )
        return between, offsets

    def span(self, at: At, first: int, last: int, sheet: str) -> str:
        """Return the cells of a row from one month's place to another, as a sheet writes them."""
        outside = "" if at.sheet == sheet else f"'{at.sheet}'!"
        ends = dict.fromkeys((first, last))
        return outside + ":".join(f"{self.columns[self.first + end]}{at.row + 1}" for end in ends)

    @cached_property
    def rows_by_line(self) -> Mapping[str, Mapping[MemberKey, At]]:
        """Where a line's combinations of members stand, one below the other."""
        found: dict[str, dict[MemberKey, At]] = {}
        for (name, key), at in self.layout.lines.items():
            found.setdefault(name, {})[key] = at
        return found

    def in_model_order(self, line: Line, key: MemberKey) -> MemberKey:
        """Return a line's key in the order of the model's dimensions, as formulas are asked for."""
        named = dict(zip(line.dimensions, key, strict=True))
        return tuple(named[d.name] for d in self.model.dimensions if d.name in named)


def first_day(month: Month) -> date:
    """Return the first day of a month, as cells hold it."""
    return date(month.year, month.month, 1)


def case_labels(model: Model) -> list[str]:
    """Return the cases' labels, none twice: what chooses one must tell them apart."""
    labels = [case.label for case in model.cases]
    return [
        label if [each.lower() for each in labels].count(label.lower()) == 1 else f"{label} ({case.name})"
        for label, case in zip(labels, model.cases, strict=True)
    ]
