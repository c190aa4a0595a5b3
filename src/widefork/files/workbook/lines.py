"""Writes the sheets that hold lines: a row for each combination of members, and below them what leads to it."""

from collections.abc import Sequence
from itertools import groupby
from math import isfinite

from xlsxwriter.format import Format

from widefork.core.changes import Operation
from widefork.core.finance.statements import CAPTIONS, Emphasis
from widefork.core.lines import Line, MemberKey
from widefork.core.look import Emphasis as Weight
from widefork.files.workbook.given import DATE, rule_cells
from widefork.files.workbook.inputs import Inputs
from widefork.files.workbook.layout import LABELS, Holds, Row, Sheet
from widefork.files.workbook.look import format_of
from widefork.files.workbook.material import CASE_NUMBER
from widefork.files.workbook.pieces import At, Ref
from widefork.files.workbook.steps import amounts_of, step_pieces
from widefork.files.workbook.tab import Tab, Values, shown
from widefork.files.workbook.words import formula_words, range_words, rule_words, step_words

_CAPTIONS = {caption.name: caption for caption in CAPTIONS}


class Lines:
    """Writes one sheet of lines.

    Parameters
    ----------
    tab : the sheet. inputs : where rules' parameters go.
    """

    def __init__(self, tab: Tab, layout: Sheet, inputs: Inputs) -> None:
        self.tab, self.sheet, self.layout, self.inputs = tab, tab.sheet, layout, inputs
        self.material, self.looks = tab.material, tab.looks
        self.model, self.plan, self.cached = self.material.model, self.material.plan, self.material.cached
        self.months = self.material.months
        self.actual = self.material.timeline.actual_count
        self.has_headings = any(row.holds is Holds.HEADING for row in layout.rows)

    def write(self) -> None:
        """Write all of the sheet."""
        self.tab.title(self.layout.title, f"{self.model.name}, {self.model.currency}")
        self.tab.months()
        for name, rows in self.layout.by_line():
            line = self.model.line_by_name.get(name)
            if line is None:
                for row in rows:
                    self._heading(row)
                continue
            self._write_line(line, rows)
        self.tab.printed_to(self.layout.rows[-1].at.row if self.layout.rows else 0)

    def _heading(self, row: Row) -> None:
        for column in range(self.material.first + self.months):
            self.sheet.write_blank(row.at.row, column, None, self.looks.heading)
        self.sheet.write_string(row.at.row, 0, row.name.removeprefix("·"), self.looks.heading)

    def _write_line(self, line: Line, rows: Sequence[Row]) -> None:
        own = [row for row in rows if row.holds is Holds.LINE]
        leading = [row for row in rows if row.holds not in (Holds.LINE, Holds.PIECE)]
        by_key = {key: list(group) for key, group in groupby(leading, key=lambda row: row.key)}
        number = format_of(line, self.material.decimals)
        stepped = self._stepped(line, by_key)
        for row in own:
            lead = by_key.get(row.key, [])
            self._labels(line, row)
            self._write_own_row(line, row, lead, number)
            self._write_lead(line, row, lead, number, stepped)
        for row in rows:
            if row.holds is Holds.PIECE:
                self._write_piece(line, row, number)

    def _labels(self, line: Line, row: Row) -> None:
        is_first = not row.key or row.key == next(iter(self.material.rows_by_line[line.name]))
        caption = _CAPTIONS.get(line.name)
        label = f"less: {line.label}" if caption is not None and caption.subtracts else line.label
        look = self.looks(bold=True) if self._is_strong(line) else self.looks()
        self.sheet.write_string(row.at.row, 0, label, look)
        self.sheet.write_string(row.at.row, 1, ", ".join(row.key), self.looks.quiet)
        self.sheet.write_string(row.at.row, 2, line.unit, self.looks.quiet)
        self.sheet.write_string(row.at.row, 3, self._words(line, row.key), self.looks.quiet)
        reason = "; ".join(part for part in (line.note, range_words(line)) if part)
        self.sheet.write_string(row.at.row, 4, reason if is_first else "", self.looks.quiet)
        if line.note and is_first:
            self.sheet.write_comment(row.at.row, 0, line.note, {"x_scale": 2})
        if self.has_headings:
            self.sheet.set_row(row.at.row, None, None, {"level": 1})

    def _words(self, line: Line, key: MemberKey) -> str:
        if key in line.absent:
            return "does not exist"
        if line.name in self.plan.problems:
            return f"cannot be computed: {self.plan.problems[line.name].sentence}"
        if line.is_given:
            return rule_words(line, key)
        return formula_words(self.plan.formulas[line.name], self.model)

    def _is_strong(self, line: Line) -> bool:
        caption = _CAPTIONS.get(line.name)
        return line.look.emphasis is Weight.STRONG or (caption is not None and caption.emphasis is not Emphasis.PART)

    # The line itself

    def _write_own_row(self, line: Line, row: Row, lead: Sequence[Row], number: str) -> None:
        values, at = self.cached.line(line.name, row.key), row.at
        known = self._known(line, row.key)
        self._write_early(line, row, number)
        look = self.looks.figure(number, is_strong=self._is_strong(line))
        is_by_case = bool(lead) and lead[0].holds is Holds.BY_CASE
        if is_by_case:
            self._choose_case(at, lead, self.looks.figure(number, is_fixed=True), values)
        elif lead:
            self.tab.formulas(at.row, (Ref(lead[-1].at),), look, values.tolist())
        else:
            self._write_ruled(line, row, at, look, values)
        actual = self.looks.figure(number, is_actual=True, is_strong=self._is_strong(line))
        for place, value in known:
            self.sheet.write_number(at.row, self.material.first + place, value, actual)
        for place in range(self.material.reach.after):
            column, last = self.material.first + self.months + place, self.material.columns[self._last]
            self.sheet.write_formula(at.row, column, f"={last}{at.row + 1}", look, shown(values[-1]))
        if not line.is_given and row.key not in line.absent:
            self.material.counted.cells += self.months - len(known)
            is_live = not is_by_case and line.name not in self.plan.problems
            self.material.counted.live += (self.months - len(known)) * is_live

    @property
    def _last(self) -> int:
        return self.material.first + self.months - 1

    def _known(self, line: Line, key: MemberKey) -> list[tuple[int, float]]:
        """The months that are actual, by their place."""
        if not line.actuals or key in line.absent:
            return []
        months = line.actuals.get(key) or line.actuals.get((), ())
        return [(place, float(value)) for place, value in enumerate(months[: self.actual]) if isfinite(value)]

    def _write_ruled(self, line: Line, row: Row, at: At, look: Format, values: Values) -> None:
        """What a rule or formula says, without any step."""
        if row.key in line.absent:
            self.tab.values(at.row, look, [0.0] * self.months)
        elif line.is_given:
            rule = line.rules.get(row.key, line.rules.get(()))
            written = rule_cells(rule) if rule is not None else None
            if rule is not None and written is not None:
                known = row.key if row.key in line.rules else ()
                pieces = written.pieces(self.inputs.place_of(line, known, written), self.material.counters)
                self.tab.formulas(at.row, pieces, look, values.tolist())
            else:
                own = [0.0] * self.months if rule is None else rule.values(self.material.timeline).tolist()
                box = self.looks.written_in(format_of(line, self.material.decimals))
                self.tab.values(at.row, box, own)
        elif line.name in self.plan.problems:
            self.tab.values(at.row, look, [float("nan")] * self.months)
        else:
            pieces = self.material.formulas.pieces(line.name, self.material.in_model_order(line, row.key))
            self.tab.formulas(at.row, pieces, look, values.tolist())

    def _choose_case(self, at: At, lead: Sequence[Row], look: Format, values: Values) -> None:
        for place, value in enumerate(values.tolist()):
            column = self.material.columns[self.material.first + place]
            cells = ",".join(f"{column}{row.at.row + 1}" for row in lead)
            self.tab.formula(at.row, place, f"=CHOOSE({CASE_NUMBER},{cells})", look, value)

    def _write_early(self, line: Line, row: Row, number: str) -> None:
        """What is known of the months before the first, where any formula reads them."""
        if line.name not in self.material.reach.looked_back_at:
            return
        early = self.model.early_values.get(line.name, {}).get(row.key)
        known = list(early) if early is not None else list(line.history)
        before, look = self.material.reach.before, self.looks.figure(number)
        for place, value in enumerate(([line.opening] * before + known)[-before:]):
            self.sheet.write_number(row.at.row, LABELS + place, float(value) if isfinite(value) else 0.0, look)

    # What leads to it

    def _stepped(self, line: Line, by_key: dict[MemberKey, list[Row]]) -> dict[int, Values]:
        """Values after each step, by its identity, all members at once; before any under 0."""
        steps = {id(row.step): row.step for rows in by_key.values() for row in rows if row.step is not None}
        if not any(row.holds is Holds.RULED for rows in by_key.values() for row in rows):
            return {}
        taken = [step.is_taken(self.material.case.name, self.material.switched) for step in steps.values()]
        after = self.cached.after_steps(line, list(steps.values()), taken)
        return {0: self.cached.before_steps(line), **dict(zip(steps, after, strict=True))}

    def _write_lead(
        self, line: Line, own: Row, lead: Sequence[Row], number: str, stepped: dict[int, Values]
    ) -> None:  # fmt: skip
        look, before, amounts = self.looks.figure(number), own.at, None
        for row in lead:
            self._lead_labels(line, row)
            if row.holds is Holds.BY_CASE:
                entry = [case.name for case in self.model.cases].index(row.case)
                values = self.material.results.series(line.name, row.key, entry).tolist()
                self.tab.values(row.at.row, self.looks.figure(number, is_fixed=True), values)
            elif row.holds is Holds.AMOUNTS and row.step is not None:
                amounts = row.at
                for month, amount in (amounts_of(row.step, self.model) or {}).items():
                    if month < self.months:
                        box = self.looks.written_in(number)
                        self.sheet.write_number(row.at.row, self.material.first + month, amount, box)
            else:
                values = self.cached.of_member(line, stepped[id(row.step) if row.step is not None else 0], row.key)
                if row.step is None:
                    self._write_ruled(line, row, row.at, look, values)
                else:
                    cells = self.material.steps[id(row.step)][1]
                    date = self.material.counters[DATE]
                    pieces = step_pieces(row.step, before, amounts, cells, date, line.is_flow)
                    self.tab.formulas(row.at.row, pieces, look, values.tolist())
                if any(each.step is not None and each.step.change.operation is Operation.DELAY for each in lead):
                    self._hold_first(row.at, values, look)
                before, amounts = row.at, None

    def _lead_labels(self, line: Line, row: Row) -> None:
        quiet = self.looks(font_color="#55656b", indent=2)
        if row.holds is Holds.BY_CASE:
            said = f"in {self.model.case(row.case).label}, as values: {self.material.fixed[line.name]}"
        elif row.step is None:
            said = "before any step"
        elif row.holds is Holds.AMOUNTS:
            said = "amounts"
        else:
            said = f"then {step_words(row.step.change, line.unit)}"
        self.sheet.write_string(row.at.row, 0, said, quiet)
        self.sheet.write_string(row.at.row, 1, ", ".join(row.key), self.looks.quiet)
        self.sheet.write_string(row.at.row, 2, line.unit, self.looks.quiet)
        level = 2 if self.has_headings else 1
        self.sheet.set_row(row.at.row, None, None, {"level": level, "hidden": True})

    def _hold_first(self, at: At, values: Values, look: Format) -> None:
        """Before the first month a row behind steps holds the first month's value, as a level put off does."""
        first = self.material.columns[self.material.first]
        for place in range(self.material.reach.before):
            self.sheet.write_formula(at.row, LABELS + place, f"=${first}{at.row + 1}", look, shown(values[0]))

    def _write_piece(self, line: Line, row: Row, number: str) -> None:
        """A piece of a formula that is looked back at, with the same history as all pieces: none."""
        dimensions = self.material.formulas.dimensions_of(row.name)
        values = self.cached.piece(row.name, row.key, dimensions).tolist()
        look, first = self.looks.figure(number), row.name.rpartition("·")[2]
        self.sheet.write_string(
            row.at.row, 0, f"piece {first} of its formula", self.looks(font_color="#55656b", indent=2)
        )
        self.sheet.write_string(row.at.row, 1, ", ".join(row.key), self.looks.quiet)
        words = formula_words(self.plan.computed[row.name], self.model)
        self.sheet.write_string(row.at.row, 3, words, self.looks.quiet)
        if row.name in self.material.reach.looked_back_at:
            for place in range(self.material.reach.before):
                self.sheet.write_number(row.at.row, LABELS + place, 0.0, look)
        self.tab.formulas(row.at.row, self.material.formulas.pieces(row.name, row.key), look, values)
        level = 2 if self.has_headings else 1
        self.sheet.set_row(row.at.row, None, None, {"level": level, "hidden": True})
