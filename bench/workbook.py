"""A slice of the measured company as a spreadsheet, recalculated by a library; and how long workbooks take to write."""

from contextlib import redirect_stderr
from dataclasses import replace
from datetime import date
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory
from time import perf_counter
from warnings import catch_warnings, simplefilter

from bench.model import OPENINGS, PRODUCT_INPUTS, PRODUCT_LINES, PRODUCT_OWN, numbered
from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.model import Model
from widefork.core.lines import Line, Section
from widefork.core.rules import RULES, read_rule
from widefork.demo import build_demo
from widefork.files.workbook import write_workbook

MONTHS = 36
PRODUCTS = range(4)
LINES = tuple(name for name in PRODUCT_LINES if name not in ("hours", "mix"))
CELLS = {  # c: this month's column, b: the one before
    "orders": "{visits}*{conversion}", "returned": "{orders}*{returns}", "joins": "{orders}-{returned}",
    "left": "{customers:b}*{churn}", "customers": "{customers:b}+{joins}-{left}",
    "active": "({customers}+{customers:b})/2", "gross": "{active}*{price}",
    "discount": "IF({gross}>20000,{gross}*{discount_rate},0)", "net": "{gross}-{discount}",
    "material": "{active}*{material_price}", "courier": "{joins}*{courier_price}", "fees": "{net}*{fee_rate}",
    "margin": "{net}-{material}-{courier}-{fees}",
}  # fmt: skip


def slice_model():
    """The same slice as a model."""
    lines = []
    for k in PRODUCTS:
        for name, (base, _, _) in PRODUCT_INPUTS.items():
            lines.append(Line(f"{name}_{k}", name, section="all", rules={(): read_rule(RULES, base)}))
        for name in LINES:
            formula, opening = numbered(PRODUCT_LINES[name], PRODUCT_OWN, k), OPENINGS.get(name, 0.0)
            lines.append(Line(f"{name}_{k}", name, section="all", formula=formula, opening=opening))
    timeline = Timeline(Month(2026, 1), MONTHS)
    return Model("Slice", "EUR", timeline, sections=(Section("all", "All"),), lines=tuple(lines))


class Cells(dict):
    """Addresses of the lines in one column, by name; ``{name:b}`` is the column before."""

    def __init__(self, rows, column):
        super().__init__({name: Address(row, column) for name, row in rows.items()})


class Address:
    def __init__(self, row, column):
        self.row, self.column = row, column

    def __format__(self, which):
        from openpyxl.utils import get_column_letter

        return f"{get_column_letter(self.column - (which == 'b'))}{self.row}"


def recalculate():
    """Return a function that recalculates the spreadsheet, and the number of its formulas.

    Returns None where the library is not installed.
    """
    try:
        import formulas
        from openpyxl import Workbook
    except ImportError:
        return None
    own = [*PRODUCT_INPUTS, *LINES]
    book = Workbook()
    sheet = book.active
    for k in PRODUCTS:
        rows = {name: k * len(own) + row for row, name in enumerate(own, start=1)}
        for name, row in rows.items():
            if name in OPENINGS:
                sheet.cell(row, 1, OPENINGS[name])
            for column in range(2, MONTHS + 2):
                formula = CELLS[name].format(**Cells(rows, column)) if name in CELLS else ""
                sheet.cell(row, column, f"={formula}" if formula else PRODUCT_INPUTS[name][0])
    with TemporaryDirectory() as folder, catch_warnings(), redirect_stderr(StringIO()):
        simplefilter("ignore")
        path = f"{folder}/slice.xlsx"
        book.save(path)
        whole_workbook = next(getattr(formulas, name) for name in formulas.__all__ if name.endswith("Model"))
        loaded = whole_workbook().loads(path).finish()
    last = Cells(rows, MONTHS + 1)["margin"]

    def run():
        solution = loaded.calculate()
        key = next(key for key in solution if str(key).endswith(f"!{last}"))
        return float(solution[key].value[0, 0])

    return run, len(LINES) * len(PRODUCTS) * MONTHS


def wide_model(count=500, months=60):
    """So many lines over three regions: one in five given, all others of the two before them."""
    region = Dimension("region", ("Coast", "Valley", "Upland"))
    lines = []
    for place in range(count):
        own = {"rules": {(): read_rule(RULES, place + 1)}} if place % 5 == 0 else {}
        formula = None if own else f"line_{place - 1} * 1.01 + before(line_{max(0, place - 2)})"
        lines.append(Line(f"line_{place}", f"Line {place}", "EUR", "all", ("region",), formula, **own))
    return replace(slice_model(), timeline=Timeline(Month(2026, 1), months), dimensions=(region,), lines=tuple(lines))


def writing(_):
    """Seconds and megabytes of a workbook: the demo company, and a wide model."""
    measured = ("the demo", build_demo("quillmere"), 3, 3), ("500 lines × 3 × 60", wide_model(), 15, 15)
    for name, model, seconds, megabytes in measured:
        plan = build_plan(model)
        with TemporaryDirectory() as folder:
            path, taken = Path(folder) / "book.xlsx", []
            for _ in range(2):  # the first finds what is computed once
                start = perf_counter()
                write_workbook(plan, plan.model.cases[0].name, path, date(2026, 12, 1))
                taken.append(perf_counter() - start)
            size = path.stat().st_size / 1e6
        yield f"seconds to write {name} as a workbook", taken[-1], f"below {seconds}"
        yield f"megabytes of that workbook, {name}", size, f"below {megabytes}"
