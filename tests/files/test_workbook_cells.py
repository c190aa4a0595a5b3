"""How single constructs stand in cells: formulas, rules and steps as a reader of the workbook sees them."""

from html import unescape

import pytest

from tests.kit.office import formulas, sheets
from tests.kit.small import calculated, company, given
from tests.kit.workbooks import Book
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Operation
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.graph.model import Limit, Profile
from widefork.core.lines import OverMembers, OverTime, Rollup
from widefork.core.look import Look, PlausibleRange, Scale
from widefork.files.workbook.layout import CASES, CHECKS, FIGURES, HEAD, YEARS
from widefork.files.workbook.look import format_of, number_format
from widefork.files.workbook.pieces import digits
from widefork.files.workbook.words import amount_words, range_words, step_words

RAMP = Profile("ramp", "Ramp", (0.25, 0.5, 1.0))
GROWTH = {"growth": {"base": 2, "rate": 0.1, "since": "2026-04"}}
APRIL = 3
"""The month looked at; it stands in column X, with B in row 11 of the assumptions and C in row 12."""
EXAMPLES = {
    "b + c": "B+C",
    "b - (c - 1)": "B-(C-1)",
    "-b ^ 2": "-(B^2)",  # a minus in a cell binds more strongly than a power
    "(b + 1) * c / 2": "(B+1)*C/2",
    "if b > c and c > 0 then b else 0": "IF(AND(B>C,C>0),B,0)",
    "not b": "IF(NOT(B<>0),1,0)",
    "b >= 2": "IF(B>=2,1,0)",
    "min(b, c)": "MIN(B,C)",
    "round(b)": "SIGN(B)*INT(ABS(B)+0.5)",
    "round(b, 2)": "SIGN(B)*INT(ABS(B)*10^2+0.5)/10^2",
    "round_up(b / 2)": "-INT(-(B/2))",
    "interest_on(b, c)": "B*C/12",
    "monthly_share(b)": "1-(1-B)^(1/12)",
    "level_payment(b, c, 12)": "-PMT(C,12,B)",
    "present_value(b, c, 3)": "B/(1+C)^(3/12)",
    "before(b)": "'Assumptions'!W11",
    "before(b, 3)": "'Assumptions'!U11",
    "after(b)": "'Assumptions'!Y11",
    "trailing(b, 3)": "SUM('Assumptions'!V11:X11)",
    "trailing_mean(b, 3)": "SUM('Assumptions'!V11:X11)/3",
    "running_total(b)": "SUM('Assumptions'!$U11:X11)",
    "year_to_date(b)": "SUMIF('Time'!$U10:X10,'Time'!X10,'Assumptions'!$U11:X11)",
    "ramped(b, ramp)": "SUMPRODUCT('Assumptions'!W11:X11,'Curves'!$C$5:$D$5)+SUM('Assumptions'!$F11:V11)*'Curves'!$B$5",
    "fading_in(b, ramp)": "SUMPRODUCT('Assumptions'!V11:X11,'Curves'!$B$6:$D$6)",
    "sum_over(a)": "SUM('Assumptions'!X8:X10)",
    "mean_over(a)": "SUM('Assumptions'!X8:X10)/3",
    "a at Coast": "'Assumptions'!X8",
    "month >= Mar 2026": "IF('Time'!X5>=24314,1,0)",
    "net_present_value(b, 0.1)": "SUMPRODUCT('Assumptions'!$U11:X11/(1+0.1)^('Time'!$U6:X6/12))",
    "outstanding(b, 45)": "SUMPRODUCT('Assumptions'!J11:X11*(((45/30-'Curves'!$B$4:$P$4)>=1)"
    "+((45/30-'Curves'!$B$4:$P$4)>0)*((45/30-'Curves'!$B$4:$P$4)<1)*(45/30-'Curves'!$B$4:$P$4)))",
}  # fmt: skip


@pytest.fixture(scope="module")
def examples(tmp_path_factory):
    lines = [given("a", 5, ("region",)), given("b", 3), given("c", GROWTH)]
    lines += [calculated(f"x{place}", formula) for place, formula in enumerate(EXAMPLES)]
    lines += [calculated("part", "share_over(a)", ("region",))]
    plan = company(lines=tuple(lines), profiles=(RAMP,), months=12)
    return Book(plan, tmp_path_factory.mktemp("cells"), "examples")


def cell(book, name, key=(), below=0, month=APRIL):
    """The formula of a line in a month, or so many rows below it."""
    at = book.material.rows_by_line[name][key]
    column = book.material.columns[book.material.first + month]
    return unescape(formulas(book.path)[at.sheet][f"{column}{at.row + 1 + below}"])


@pytest.mark.parametrize("formula", EXAMPLES)
def test_a_formula_stands_in_its_cell(examples, formula):
    written = cell(examples, f"x{list(EXAMPLES).index(formula)}")
    wanted = EXAMPLES[formula]
    if "'" not in wanted:
        wanted = "".join({"B": "'Assumptions'!X11", "C": "'Assumptions'!X12"}.get(c, c) for c in parted(wanted))
    assert written == wanted


def parted(text):
    """A text with names of functions apart from single letters."""
    found, word = [], ""
    for letter in text:
        if letter.isalpha():
            word += letter
            continue
        found += [word, letter] if word else [letter]
        word = ""
    return [*found, word] if word else found


def test_shares_and_rules_read_what_they_rest_on(examples):
    assert cell(examples, "part", ("Coast",)) == "'Assumptions'!X8/SUM('Assumptions'!X8:X10)"
    assert cell(examples, "b") == "'Inputs'!$C$7"
    since = "(YEAR('Inputs'!$C$10)*12+MONTH('Inputs'!$C$10)-1)"
    grown = f"(-INT(-MAX(0,'Time'!X5-{since}+1)/12))"
    assert cell(examples, "c") == f"'Inputs'!$C$8*(1+'Inputs'!$C$9)^{grown}"
    rows = sheets(examples.path)["Inputs"]
    assert [(row[1], row[2]) for row in rows[7:9]] == [("amount", 2), ("growing once a year", 0.1)]


def test_a_step_is_a_row_below_its_line(tmp_path):
    """Base has it not, Other has: the months it covers, its amount, and who takes it stand on Cases."""
    step = Change("b", Operation.SCALE, 1.5, (), Month(2026, 3), Month(2026, 6), "dearer")
    late = Change("b", Operation.ADD, -2.0, strength=0.5)
    cases = (Case("base", "Base"), Case("other", "Other", "base", (step, late)))
    book = Book(company(lines=(given("b", 3),), cases=cases, months=12), tmp_path, "steps", "other")
    column = book.material.columns[book.material.first + APRIL]
    at = book.material.rows_by_line["b"][()].row + 1
    assert cell(book, "b") == f"{column}{at + 3}"
    assert cell(book, "b", below=1).startswith("'Inputs'!")
    during = f"'Time'!{column}3>='Cases'!$E${{row}},'Time'!{column}3<='Cases'!$F${{row}}"
    assert cell(book, "b", below=2) == (
        f"IF(AND('Cases'!$D$7=1,{during.format(row=7)}),{column}{at + 1}*'Cases'!$G$7,{column}{at + 1})"
    )
    assert cell(book, "b", below=3) == (
        f"IF(AND('Cases'!$D$8=1,{during.format(row=8)}),"
        f"{column}{at + 2}+({column}{at + 2}+'Cases'!$G$8-{column}{at + 2})*'Cases'!$H$8,{column}{at + 2})"
    )
    rows = sheets(book.path)[CASES]
    assert [row[:3] for row in rows[6:8]] == [["B", "", "times 1.5: dearer"], ["B", "", "2 less"]]
    assert [row[9:11] for row in rows[6:8]] == [[0, 1], [0, 1]]
    assert rows[0][1] == "Other"
    assert rows[1][1] == 2


def test_years_figures_and_checks_roll_up_as_each_line_says(tmp_path):
    """A flow, a balance, a price by what it applies to, a ratio of its parts, and what has no total."""
    weighed = {"rollup": Rollup.weighted("volume")}
    lines = (
        given("volume", {("Coast",): 10, ("Valley",): 20, ("Upland",): 30}, ("region",)),
        given("price", {("Coast",): 4, ("Valley",): 5, ("Upland",): 6}, ("region",), **weighed),
        calculated("takings", "volume * price", ("region",)),
        calculated("margin", "sum_over(takings) / sum_over(volume)",
                   rollup=Rollup(OverTime.RATIO, OverMembers.RATIO, "takings", "volume")),
        given("rate", {"steps": {"2026-01": 1, "2027-06": 2}}, rollup=Rollup.default("%")),
    )  # fmt: skip
    figures = (
        Figure("most", "Most", "takings", (), Month(2026, 2), Month(2026, 5), Reduction.HIGHEST),
        Figure("when", "When", "rate", (), None, None, Reduction.FIRST_MONTH, Comparison.ABOVE, 1.5),
        Figure("never", "Never", "rate", (), None, None, Reduction.FIRST_MONTH, Comparison.ABOVE, 5.0),
        Figure("count", "Count", "rate", (), None, None, Reduction.MONTH_COUNT, Comparison.AT_MOST, 1.0),
    )
    limits = (Limit("floor", "Floor", "margin", 5.0), Limit("roof", "Roof", "margin", None, 5.5))
    book = Book(company(lines=lines, months=24, figures=figures, limits=limits), tmp_path, "rolled")
    rows, wanted = sheets(book.path), 4 * 10 + 5 * 20 + 6 * 30
    years = {(row[0], row[1]): row[3:5] for row in rows[YEARS][HEAD:]}
    assert years["Takings", "all members"] == [12 * wanted] * 2
    assert years["Price", "all members"] == pytest.approx([wanted / 60] * 2)
    assert years["Margin", ""] == pytest.approx([wanted / 60] * 2)
    assert years["Rate", ""] == [1, ""]
    answers = {row[0]: row[1] for row in rows[FIGURES][HEAD:]}
    assert (answers["Most"], answers["Never"], answers["Count"]) == (wanted, "none", 17)
    assert (answers["When"].year, answers["When"].month) == (2027, 6)
    checks = {row[0]: row[1] for row in rows[CHECKS][HEAD:]}
    assert (checks["Floor"], checks["Roof"], checks["Balance sheet"]) == ("holds", "holds", "holds")


@pytest.mark.parametrize(
    ("unit", "look", "wanted"),
    [("EUR", Look(), "#,##0"), ("EUR/kit", Look(), "#,##0.00"), ("%", Look(), "#,##0.0%"), ("heads", Look(), "#,##0.0"),
     ("EUR", Look(2), "#,##0.00"), ("EUR", Look(scale=Scale.THOUSANDS), "#,##0,"), ("kg", Look(), "#,##0.000")],
)  # fmt: skip
def test_a_unit_has_its_number_format(unit, look, wanted):
    line = given("x", 1, unit=unit, look=look)
    assert format_of(line, {"kg": 3}).split(";")[0] == wanted


def test_minus_signs_are_true_and_nothing_is_a_dash():
    assert number_format(1) == '#,##0.0;"−"#,##0.0;"–"'


@pytest.mark.parametrize(
    ("change", "wanted"),
    [(Change("x", Operation.SET, 0.05), "set to 5 %"), (Change("x", Operation.ADD, 0.01), "1 % more"),
     (Change("x", Operation.SCALE, 1.25, note="why"), "times 1.25: why"), (Change("x", Operation.STOP), "stopped"),
     (Change("x", Operation.DELAY, 2), "2 months later"),
     (Change("x", Operation.DEFER, 0.5, (), None, Month(2026, 6), catch_up_months=3),
      "50 % put off, caught up over 3 months")],
)  # fmt: skip
def test_steps_are_told_in_words(change, wanted):
    assert step_words(change, "%") == wanted


def test_ranges_amounts_and_digits_are_written_whole():
    assert range_words(given("x", 1, plausible=PlausibleRange(-0.1, 0, 0.2, True))) == "-10 % to +20 %"
    assert range_words(given("x", 1, unit="%", plausible=PlausibleRange(0.1, 0.2, 0.25))) == "10 % to 25 %"
    assert (amount_words(1234567.25, "EUR"), amount_words(0.125, "%")) == ("1,234,567.25", "12.5 %")
    assert [digits(value) for value in (0.1, 12.0, -3.5, 1e-7)] == ["0.1", "12", "-3.5", "1e-07"]
