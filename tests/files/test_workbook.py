"""The workbook: another program computes the whole company from its cells, and says what we say."""

import errno
import re
from dataclasses import replace
from pathlib import Path

import pytest
import xlsxwriter
from hypothesis import given as drawn
from xlsxwriter.utility import xl_rowcol_to_cell

from tests.kit.laws import law
from tests.kit.office import formulas, recalculate, sheets
from tests.kit.small import calculated, company, given, model_of
from tests.kit.strategies import models
from tests.kit.workbooks import DAY, Book, alike
from widefork.core.analysis.figures import answer
from widefork.core.changes import Case, Change, Operation, Switch
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.finance.assemble import build_plan
from widefork.core.finance.statements import RATIOS
from widefork.core.graph.rollup import roll_up
from widefork.core.language.functions import FUNCTIONS, Kind
from widefork.core.lines import OverMembers, Section
from widefork.core.rules import RULES, Forecast, read_words
from widefork.core.rules.flat import Flat
from widefork.core.rules.monthly import Monthly
from widefork.core.rules.totals import Totals
from widefork.files import FORMATS
from widefork.files.workbook import book as book_module
from widefork.files.workbook import workbook_name, write_workbook
from widefork.files.workbook.formulas import BY_VALUE, NOT_IN_CELLS
from widefork.files.workbook.given import FIRST, RULES_IN_CELLS
from widefork.files.workbook.layout import CASES, CHECKS, CONTENTS, FIGURES, HEAD, INPUTS, YEARS, sheet_name
from widefork.files.workbook.looking_back import LOOKING_BACK
from widefork.files.workbook.others import CASE_COLUMN

MODELS = sorted((Path(__file__).parents[1] / "models").glob("*.yaml"))
BY_CASE = ["base", "best", "worst", "worst_met"]


@pytest.fixture(scope="module")
def demo_book(demo_plan, tmp_path_factory):
    return Book(demo_plan, tmp_path_factory.mktemp("workbook"), "demo")


def assert_years(book, rows, results, entry):
    """Every line by fiscal year, members and where they add up the whole, in the order of the sheet."""
    years, place = book.model.timeline.fiscal_years(), HEAD
    for sheet in book.material.layout.sheets:
        place += 1
        for name in dict.fromkeys(row.name for row in sheet.rows if row.holds == "the line"):
            line = book.model.line(name)
            keys = list(book.material.rows_by_line[name])
            if len(keys) > 1 and line.rollup.over_members is not OverMembers.NONE:
                keys.append(())
            for key in keys:
                row = rows[YEARS][place]
                assert (row[0], row[1]) == (line.label, ", ".join(key) or ("all members" if line.dimensions else ""))
                wanted = roll_up(results, name, years, key)[:, entry].tolist()
                assert all(map(alike, row[3:], wanted)), (name, key, row, wanted)
                place += 1
    assert place > HEAD + 10


def assert_figures(book, rows, results, entry):
    answered = [row for row in rows[FIGURES][HEAD:] if row[0] and row[0] != "1 where it holds"]
    for figure, row in zip(book.model.figures, answered, strict=False):
        amount = float(answer(figure, results).amounts[entry])
        if figure.reduction.gives_month and amount == amount:
            assert (row[1].year, row[1].month) == (int(amount) // 12, int(amount) % 12 + 1)
        else:
            assert alike(row[1], amount), figure.name


@pytest.mark.parametrize("case", BY_CASE)
def test_another_program_computes_the_demo_alike_in_every_case(demo_book, case, tmp_path):
    """The case's cell is changed, everything recalculated; every line, member and month is compared, and more."""
    entry = BY_CASE.index(case)
    (rows,) = recalculate([demo_book.with_case(entry)], tmp_path)
    results = demo_book.material.results
    count, wrong = demo_book.wrong(rows, results, entry)
    assert (count, wrong) == (54684, [])
    assert_years(demo_book, rows, results, entry)
    assert_figures(demo_book, rows, results, entry)
    broken = [row[0] for row in rows[CHECKS][HEAD + 1 :] if row[1] not in ("holds", "")]
    assert broken == (["Debt service cover"] if case == "worst" else [])
    assert rows[CHECKS][2][1] == len(broken) == rows[CONTENTS][4][1]


def test_after_inputs_are_changed_it_computes_what_we_would(demo_book, demo_plan, tmp_path):
    """A price that grows, a share, and the days customers take: changed in the cells, and in the model."""
    model = demo_plan.model
    inputs, changed = sheets(demo_book.path)[INPUTS], {}
    for name, key, value in (
        ("kit_price", ("Coast",), 52.5),
        ("kits_returned", (), 0.07),
        ("kit_customers_days", (), 61),
    ):
        label = ", ".join((model.line(name).label, *key))
        place = next(at for at, row in enumerate(inputs) if row[0] == label)
        changed[INPUTS, xl_rowcol_to_cell(place, FIRST)] = value
    (rows,) = recalculate([demo_book.with_case(2, changed.items())], tmp_path)
    own = demo_plan.own
    price, returned = own.line("kit_price"), own.line("kits_returned")
    dearer = replace(price.rules[("Coast",)], base=52.5)
    lines = {"kit_price": replace(price, rules={**price.rules, ("Coast",): dearer}),
             "kits_returned": replace(returned, rules={(): Flat(0.07)})}  # fmt: skip
    later = [
        replace(s, settings={**s.settings, "days": 61.0}) if s.name == "kit_customers" else s for s in own.schedules
    ]
    plan = build_plan(
        replace(own, lines=tuple(lines.get(line.name, line) for line in own.lines), schedules=tuple(later))
    )
    results = evaluate(plan, [plan.model.changes_of(case.name) for case in plan.model.cases])
    assert demo_book.wrong(rows, results, 2) == (54684, [])
    assert demo_book.wrong(rows, demo_book.material.results, 2)[1] != []


def test_moves_are_switched_there(demo_book, demo_plan, tmp_path):
    """In Base, which has none of them; what it then gives is what we give with the moves switched on last."""
    names, switched = [move.name for move in demo_plan.model.moves], ("price_rise", "short_bridge", "shared_crews")
    cells = {(CASES, xl_rowcol_to_cell(HEAD + names.index(move), CASE_COLUMN)): 1 for move in switched}
    (rows,) = recalculate([demo_book.with_case(0, cells.items())], tmp_path)
    results = evaluate(demo_plan, [demo_plan.model.changes_with("base", [Switch(move) for move in switched])])
    assert demo_book.wrong(rows, results, 0) == (54684, [])
    assert demo_book.wrong(rows, demo_book.material.results, 0)[1] != []


def test_a_move_that_leads_to_values_is_no_switch_there(demo_book, demo_plan):
    """Those who leave are shared out in whole numbers, as values: a move that changes heads would not reach them."""
    held = [row[0] for row in sheets(demo_book.path)[CASES] if row[1] == "as it was written"]
    assert held == ["Second lab", "Hiring freeze", "Fewer samplers", "Far fewer samplers"]


@pytest.mark.parametrize("path", MODELS, ids=[path.stem for path in MODELS])
def test_the_models_of_the_tests_are_computed_alike_in_every_case(path, tmp_path):
    book = Book(build_plan(FORMATS["yaml"].read(path.read_text("utf-8"))), tmp_path, path.stem)
    found = recalculate([book.with_case(place) for place in range(len(book.labels))], tmp_path)
    for entry, rows in enumerate(found):
        count, wrong = book.wrong(rows, book.material.results, entry)
        assert wrong == []
        assert count > 500
        assert_years(book, rows, book.material.results, entry)
        assert_figures(book, rows, book.material.results, entry)
        assert rows[CHECKS][2][1] == 0


def test_figures_stand_in_it_before_anything_is_recalculated(demo_book):
    rows = sheets(demo_book.path)
    assert demo_book.wrong(rows, demo_book.material.results, 0) == (54684, [])
    assert_years(demo_book, rows, demo_book.material.results, 0)
    assert_figures(demo_book, rows, demo_book.material.results, 0)


def test_nearly_all_calculated_cells_are_formulas_and_the_rest_is_told(demo_book):
    written = demo_book.written
    assert written.live / written.cells >= 0.97
    listed = [row[0] for row in sheets(demo_book.path)[CONTENTS]]
    for name in written.fixed:
        assert demo_book.model.line(name).label in listed


def test_a_row_is_one_formula_moved_along(demo_book):
    """Every month's cell of a calculated line looks as many columns from itself as that of any other month."""
    material, book = demo_book.material, formulas(demo_book.path)
    rows = 0
    for (name, _), at in material.layout.lines.items():
        line = demo_book.model.line_by_name.get(name)
        cells = [book[at.sheet].get(f"{material.columns[material.first + month]}{at.row + 1}") for month in range(36)]
        known = [(month, text) for month, text in enumerate(cells) if text is not None]
        if line is None or line.is_given or name in demo_book.written.fixed:
            continue
        assert len({relative(text, material.columns, material.first + month) for month, text in known}) == 1, name
        rows += 1
    assert rows > 900


def relative(text, columns, own):
    """A formula with every column that moves along as its distance from its own."""
    return re.sub(
        r"(?<![$A-Za-z'])([A-Z]{1,3})(\d+)", lambda found: f"[{columns.index(found[1]) - own}]{found[2]}", text
    )


# What is written, piece by piece


def rows_of(plan, folder, case=None, cells=()):
    """A small plan's workbook, and its sheets as another program computes them."""
    book = Book(plan, folder, "small", case)
    return book, recalculate([book.with_case([c.name for c in plan.model.cases].index(book.case), cells)], folder)[0]


def test_every_kind_of_rule_is_written_as_what_it_gives(tmp_path):
    """Each kind's own example: as formulas on its parameters, or as months that are its parameters."""
    lines = [
        replace(given(f"rule_{place}", 0), rules={(): read_words(RULES, kind.example, plain_amount)})
        for place, kind in enumerate(RULES)
    ]
    book, rows = rows_of(company(lines=tuple(lines), months=40), tmp_path)
    assert book.wrong(rows, book.material.results, 0)[1] == []
    by_months = {kind.rule for kind in RULES} - set(RULES_IN_CELLS)
    assert by_months == {Monthly, Forecast, Totals}


def plain_amount(text):
    return float(text.strip(" %").replace(",", ""))


def test_every_function_of_formulas_has_its_cells():
    """By value, looking back, over members or along a mapping; or it is said why not."""
    for function in FUNCTIONS:
        known = {
            Kind.ELEMENTWISE: BY_VALUE, Kind.TIME: LOOKING_BACK,
            Kind.MEMBERS: ("sum_over", "mean_over", "share_over"), Kind.MAPPING: ("sum_by", "spread_to"),
        }[function.kind]  # fmt: skip
        assert function.name in known or function.name in NOT_IN_CELLS, function.name


@law(2)
@drawn(models())
def test_any_model_is_computed_alike(tmp_path_factory, model):
    """In its last case; ratios are left to the rest, as noise over noise is anything."""
    folder = tmp_path_factory.mktemp("drawn")
    plan = build_plan(model)
    book, rows = rows_of(plan, folder, plan.model.cases[-1].name)
    lines = {line.name for line in plan.model.lines} - {ratio.name for ratio in RATIOS}
    assert book.wrong(rows, book.material.results, len(plan.model.cases) - 1, lines)[1] == []


# What must not go wrong


def test_texts_that_look_like_formulas_are_texts(tmp_path):
    odd = replace(given("odd", 5), label="=1+1", note="+SUM(A1)", unit="@home")
    book, rows = rows_of(company(lines=(odd,)), tmp_path)
    at = book.material.rows_by_line["odd"][()]
    assert rows[at.sheet][at.row][:3] == ["=1+1", "", "@home"]
    assert not any("1+1" in text for cells in formulas(book.path).values() for text in cells.values())


def test_a_line_that_cannot_be_computed_says_so_and_the_rest_lives(tmp_path):
    wrong = (calculated("wrong", "nothing * 2"), calculated("after_it", "wrong + 1"), calculated("fine", "sales * 2"))
    book, rows = rows_of(company(lines=wrong), tmp_path)
    assert book.wrong(rows, book.material.results, 0)[1] == []
    at = book.material.rows_by_line["wrong"][()]
    assert "There is no line" in rows[at.sheet][at.row][3]
    assert "Cannot be computed" in [row[0] for row in rows[CONTENTS]]


def test_240_months_names_of_200_letters_and_two_of_one_label(tmp_path):
    long = "Kits “sold” at 'the' coast & valley " * 6
    lines = (
        replace(given("one", 3, ("region",)), label=long),
        replace(calculated("two", "one * 2", ("region",)), label=long),
        replace(calculated("three", "sum_over(two)"), section="quoted"),
    )  # fmt: skip
    cases = (Case("base", "Base"), Case("other", "Base", "base", (Change("one", Operation.SCALE, 2.0),)))
    sections = (Section("quoted", "It's [all]: a/b? " * 5),)
    plan = company(lines=lines, months=240, more_sections=sections, cases=cases)
    book, rows = rows_of(plan, tmp_path, "other")
    assert book.wrong(rows, book.material.results, 1)[1] == []
    assert len(book.labels) == len(set(book.labels)) == 2


@pytest.mark.parametrize(
    ("label", "taken", "name"),
    [("Kits: sold/returned?", (), "Kits  sold returned"), ("Time", ("Time",), "Time 2"), ("", (), "Sheet"),
     ("A" * 40, ("a" * 31,), "A" * 29 + " 2"), ("'Quoted'", (), "Quoted"), ("History", (), "History 2")],
)  # fmt: skip
def test_sheets_have_names_spreadsheets_take(label, taken, name):
    assert sheet_name(label, taken) == name


def test_a_model_without_lines_of_its_own_is_written_too(tmp_path):
    book, rows = rows_of(build_plan(model_of()), tmp_path)
    assert book.wrong(rows, book.material.results, 0)[1] == []
    assert book.written.live == book.written.cells


@pytest.mark.parametrize(
    "fault", [OSError(errno.ENOSPC, "No space left on device"), xlsxwriter.exceptions.FileSizeError("zip")]
)
def test_a_disk_that_fills_leaves_no_half_file_and_what_was_there(tmp_path, monkeypatch, fault):
    target = tmp_path / "plan.xlsx"
    target.write_bytes(b"the one before")

    def full(book):
        raise fault

    monkeypatch.setattr(book_module.xlsxwriter.Workbook, "close", full)
    with pytest.raises(InvalidValue, match="The workbook cannot be written"):
        write_workbook(company(), "base", target, DAY)
    assert [each.name for each in tmp_path.iterdir()] == ["plan.xlsx"]
    assert target.read_bytes() == b"the one before"


def test_writing_is_told_of_and_can_be_left(tmp_path):
    heard = []
    write_workbook(company(), "base", tmp_path / "all.xlsx", DAY, lambda done, of: heard.append((done, of)) or True)
    assert heard == [(place, heard[-1][1]) for place in range(heard[-1][1])]
    with pytest.raises(InvalidValue, match="left"):
        write_workbook(company(), "base", tmp_path / "left.xlsx", DAY, lambda done, of: done < 3)
    with pytest.raises(UnknownName, match="worse"):
        write_workbook(company(), "worse", tmp_path / "left.xlsx", DAY)
    assert [each.name for each in tmp_path.iterdir()] == ["all.xlsx"]


def test_files_are_named_for_their_model():
    assert workbook_name("Quillmere Water Labs") == "quillmere-water-labs.xlsx"
    assert workbook_name("§§") == "model.xlsx"
