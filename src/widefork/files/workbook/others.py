"""The sheets that hold no lines of the plan: time, curves and cases."""

from xlsxwriter.utility import xl_col_to_name

from widefork.core.axes import Month, Timeline
from widefork.core.changes import ByHand, Change, Operation
from widefork.core.graph.counters import COUNTERS, counter_values
from widefork.core.graph.model import Model
from widefork.files.workbook.given import DATE
from widefork.files.workbook.layout import HEAD, LABELS
from widefork.files.workbook.look import MONTH, format_of, number_format
from widefork.files.workbook.material import FIRST_STEP, case_labels, first_day
from widefork.files.workbook.steps import CaseStep, StepCells
from widefork.files.workbook.tab import Tab, serial
from widefork.files.workbook.words import step_words

CASE_COLUMN = 9
"""The column the first case stands in, on the sheet of cases."""


def write_time(tab: Tab) -> None:
    """Write the months once, with counters and flags; all other sheets read them here."""
    material = tab.material
    tab.title("Time", "The months, and what is counted along them: counters, and flags of your own.")
    tab.months()
    labels = {flag.name: flag.label for flag in material.model.flags}
    known = counter_values(material.timeline, material.model.flags)
    look = tab.looks.figure("General")
    for name, values in known.items():
        at = material.counters[name]
        tab.sheet.write_string(at.row, 0, labels.get(name, name.replace("_", " ")), tab.looks())
        if name in COUNTERS:
            tab.sheet.write_string(at.row, 3, COUNTERS[name][0], tab.looks.quiet)
        tab.values(at.row, look, values.tolist())
    start, before = material.timeline.start.ordinal, material.reach.before
    for place in range(before):
        ordinal = start - before + place
        tab.sheet.write_number(material.counters[DATE].row, LABELS + place, serial(ordinal), tab.looks.months)
        tab.sheet.write_number(material.counters["month"].row, LABELS + place, ordinal, look)
    tab.printed_to(HEAD + len(known))


def write_curves(tab: Tab) -> None:
    """Write profiles, latest age first as flows are read against them, and what each age adds to the one before."""
    material, places, looks = tab.material, tab.material.formulas.places, tab.looks
    tab.title("Curves", "Shares by age, the latest age first: each stands against the months that lead to now.", False)
    tab.sheet.set_column(0, 0, 44)
    tab.sheet.write_string(places.ages.at.row, 0, "months ago", looks.quiet)
    for place in range(material.reach.counted_back):
        ago = material.reach.counted_back - 1 - place
        tab.sheet.write_number(places.ages.at.row, places.ages.first + place, ago, looks.quiet)
    for profile in material.model.profiles:
        own, steps = places.profiles[profile.name], places.steps[profile.name]
        tab.sheet.write_string(own.at.row, 0, profile.label, looks())
        tab.sheet.write_string(steps.at.row, 0, f"{profile.label}: more than at the age before", looks.quiet)
        for place, value in enumerate(reversed(profile.values)):
            tab.sheet.write_number(own.at.row, own.first + place, value, looks.written_in("0.0##%"))
            column = xl_col_to_name(own.first + place)
            is_youngest = place == len(profile.values) - 1
            younger = "" if is_youngest else f"-{xl_col_to_name(own.first + place + 1)}{own.at.row + 1}"
            more = value - (0.0 if is_youngest else profile.values[len(profile.values) - 2 - place])
            text = f"={column}{own.at.row + 1}{younger}"
            tab.sheet.write_formula(steps.at.row, steps.first + place, text, looks.figure("0.0##%"), more)


class Cases:
    """Writes the sheet that chooses the case: its moves, and every step with what can be changed of it."""

    def __init__(self, tab: Tab) -> None:
        self.tab, self.sheet, self.looks, self.material = tab, tab.sheet, tab.looks, tab.material
        self.model: Model = tab.material.model
        self.labels = case_labels(self.model)
        self.end = xl_col_to_name(CASE_COLUMN + len(self.labels) - 1)
        self.begin = xl_col_to_name(CASE_COLUMN)
        self.move_rows = {move.name: HEAD + place for place, move in enumerate(self.model.moves)}

    def write(self) -> None:
        """Write all of the sheet."""
        self._choose()
        self._moves()
        self._steps()

    def _choose(self) -> None:
        sheet, looks = self.sheet, self.looks
        for column, width in enumerate((38, 18, 40, 9, 9, 9, 12, 9, 3)):
            sheet.set_column(column, column, width)
        sheet.set_column(CASE_COLUMN, CASE_COLUMN + len(self.labels) - 1, 14)
        sheet.write_string(0, 0, "Case shown on all sheets", looks.title)
        sheet.set_row(0, 22)
        sheet.write_string(0, 1, self.labels[self.material.entry], looks(bold=True, border=2, border_color="#14232a"))
        head = f"=${self.begin}${HEAD}:${self.end}${HEAD}"
        said = {"input_title": "Case", "input_message": "Choose the case all sheets show.",
                "error_title": "No such case", "error_message": "Choose one of the cases in the list."}  # fmt: skip
        sheet.data_validation(0, 1, 0, 1, {"validate": "list", "source": head, **said})
        sheet.write_string(1, 0, "its place among them", looks.quiet)
        sheet.write_formula(1, 1, f"=MATCH($B$1,{head[1:]},0)", looks.quiet, self.material.entry + 1)
        for column in range(CASE_COLUMN + len(self.labels)):
            sheet.write_blank(HEAD - 1, column, None, looks.head)
        for place, label in enumerate(self.labels):
            sheet.write_string(HEAD - 1, CASE_COLUMN + place, label, looks.head_right)
        sheet.write_string(HEAD - 1, 0, "Moves: 1 switches one on in a case, 0 off", looks.head)
        sheet.freeze_panes(HEAD, 1)
        sheet.fit_to_pages(1, 0)

    def _moves(self) -> None:
        """A cell for each case; of a move that leads to values, which would not follow it, only how it stands."""
        behind = self.material.plan.upstream(self.material.fixed)
        for move in self.model.moves:
            row = self.move_rows[move.name]
            is_held = any(change.line in behind for change in move.changes)
            self.sheet.write_string(row, 0, move.label, self.looks())
            self.sheet.write_string(row, 1, "as it was written" if is_held else "", self.looks.quiet)
            said = "leads to what stands here as values; switch it in the model. " if is_held else ""
            self.sheet.write_string(row, 2, said + move.note, self.looks.quiet)
            for place, case in enumerate(self.model.cases):
                is_on, column = int(move.name in self.material.switched[case.name]), CASE_COLUMN + place
                if is_held:
                    self.sheet.write_number(row, column, is_on, self.looks.figure("0", is_fixed=True))
                    continue
                self.sheet.write_number(row, column, is_on, self.looks.written_in("0"))
                self.sheet.data_validation(row, column, row, column, {"validate": "list", "source": ["0", "1"]})

    def _steps(self) -> None:
        top = FIRST_STEP + len(self.model.moves) - 1
        heads = ("Steps", "Members", "What happens", "taken", "from", "to", "amount", "strength", "")
        for column, text in enumerate((*heads, *self.labels)):
            self.sheet.write_string(top, column, text, self.looks.head if column < 3 else self.looks.head_right)
        for step, cells in self.material.steps.values():
            self._step(step, cells)

    def _step(self, step: CaseStep, cells: StepCells) -> None:
        change, row, sheet, looks = step.change, cells.active.at.row, self.sheet, self.looks
        line = self.model.line(change.line)
        sheet.write_string(row, 0, line.label, looks())
        sheet.write_string(row, 1, ", ".join(member for _, member in change.members), looks.quiet)
        sheet.write_string(row, 2, step_words(change, line.unit), looks.quiet)
        is_taken = step.is_taken(self.material.case.name, self.material.switched)
        taken = f"=INDEX(${self.begin}{row + 1}:${self.end}{row + 1},1,$B$2)"
        sheet.write_formula(row, cells.active.first, taken, looks.figure(number_format(0)), int(is_taken))
        first, last = _months_of(change, self.material.timeline)
        sheet.write_datetime(row, cells.first.first, first_day(first), looks.written_in(MONTH))
        sheet.write_datetime(row, cells.last.first, first_day(last), looks.written_in(MONTH))
        if (
            change.operation in (Operation.SET, Operation.ADD, Operation.SCALE, Operation.DEFER)
            and change.course is None
        ):
            is_share = change.operation in (Operation.SCALE, Operation.DEFER)
            number = "0.0##" if is_share else format_of(line, self.material.decimals)
            sheet.write_number(row, cells.amount.first, change.amount, looks.written_in(number))
        if change.strength != 1 or change.operation in (Operation.DELAY, Operation.DEFER):
            sheet.write_number(row, cells.strength.first, change.strength, looks.written_in("0%"))
        for place, case in enumerate(self.model.cases):
            column = CASE_COLUMN + place
            move = step.moves.get(case.name) if case.name in step.cases else None
            if move is not None:
                text = f"={xl_col_to_name(column)}${self.move_rows[move] + 1}"
                is_on = int(move in self.material.switched[case.name])
                sheet.write_formula(row, column, text, looks.figure(number_format(0)), is_on)
            else:
                sheet.write_number(row, column, int(case.name in step.cases), looks.written_in(number_format(0)))


def _months_of(change: Change, timeline: Timeline) -> tuple[Month, Month]:
    """The months a step covers, those of the plan alone."""
    first = max(change.first or timeline.first_plan, timeline.first_plan)
    last = change.last or timeline.end
    if isinstance(change.course, ByHand) and change.first is not None:
        last = min(last, change.first.plus(len(change.course.amounts) - 1))
    return first, last
