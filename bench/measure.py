"""Measures the machine side by side with hand-written NumPy, and writes the table to docs/performance.md.

Run it with ``bench/run``; it takes a few minutes. All figures are ratios within one run.
"""

import os
import subprocess
import sys
from dataclasses import replace
from importlib import import_module
from math import log
from pathlib import Path
from statistics import median
from tempfile import TemporaryDirectory

import numpy as np

from bench import origins, reference, workbook
from bench.model import OUTPUTS, PRODUCTS, build_model
from bench.timing import peak_memory, side_by_side
from bench.trends import forecasting, reading_histories
from widefork.core.analysis.bridge import bridge, causes_between
from widefork.core.analysis.chance import Design, Spread, Triangular, lay_out, run_chance
from widefork.core.analysis.cohorts import unfold
from widefork.core.analysis.effects import effects as effects_module
from widefork.core.analysis.effects import move_effects
from widefork.core.analysis.grid import grid as grid_module
from widefork.core.analysis.grid import read_set, try_all
from widefork.core.analysis.sensitivity import read_axis, try_square
from widefork.core.changes import Case, Change, Operation
from widefork.core.engine import warm_up, with_machine
from widefork.core.engine import worker as worker_module
from widefork.core.figures import Figure, Reduction
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.batch import Amounts
from widefork.core.graph.calculate import evaluate_plainly
from widefork.core.graph.plan import compile_model
from widefork.demo import build_demo

FIGURES_MODULE = import_module("widefork.core.analysis.figures.answer")  # its function hides it in the package
PAGE = Path(__file__).parents[1] / "docs" / "performance.md"
MOVED = ("price_3", "churn_2", "conversion_1", "hires_0", "customer_days")
CAUSES = 10
MOVES = 12
DRAWN, FIGURES = 20, 5


class Company:
    """The measured company, compiled, with what the reference needs."""

    def __init__(self):
        self.plan = compile_model(build_model())
        self.results = with_machine(self.plan)
        self.machine = self.plan.shared["machine"]
        assumptions = [line.name for line in self.plan.model.lines if line.is_assumption]
        self.given = {name: self.results.values(name) for name in assumptions}

    def check(self):
        """Refuse to measure two things that do not compute the same."""
        by_hand = reference.compute(self.given)
        for name in self.plan.formulas:
            values = self.results.values(name)
            gap = np.abs(values - by_hand[name]) / np.maximum(1, np.abs(values))
            assert gap.max() < 1e-9, name

    def batch(self, size):
        """Return the same batch twice: as change lists, and as the reference's assumptions."""
        factors = 1 + np.arange(size) / 1e5
        ways = tuple(Change(name, Operation.SCALE) for name in MOVED)
        lists = Amounts((), ways, np.repeat(factors[:, None], len(ways), axis=1))
        return lists, self.given | {name: self.given[name] * factors for name in MOVED}


def one_case(company):
    plan, machine, turn = company.plan, company.machine, iter(range(10**9))
    edited = compile_model(build_model())
    with_machine(edited)

    def by_hand():
        reference.compute(company.given)

    def whole():
        machine.forget()
        with_machine(plan)

    def one_changed():
        with_machine(edited, [[Change("price_3", Operation.SCALE, 1 + next(turn) / 1e6)]])

    taken = side_by_side(12, 5, reference=by_hand, whole=whole, plain=lambda: evaluate_plainly(plan))
    yield "one case, whole model", taken["reference"] / taken["whole"], "at least 10"
    yield "one case, plain evaluator", taken["reference"] / taken["plain"], ""
    taken = side_by_side(20, 10, reference=by_hand, one_changed=one_changed)
    yield "one assumption changed, all lines", taken["reference"] / taken["one_changed"], "at least 30"


def batches(company):
    for size, rounds in ((100, 15), (1000, 7), (10_000, 3)):
        lists, given = company.batch(size)
        taken = side_by_side(
            rounds, reference=lambda given=given: reference.compute(given),
            few=lambda lists=lists: with_machine(company.plan, lists, OUTPUTS),
            every=lambda lists=lists: with_machine(company.plan, lists),
        )  # fmt: skip
        wanted = ("at least 2", "at least 1") if size >= 1000 else ("", "")
        yield f"batch of {size:,}, 10 lines kept", taken["reference"] / taken["few"], wanted[0]
        yield f"batch of {size:,}, all lines kept", taken["reference"] / taken["every"], wanted[1]
    few = peak_memory(lambda: with_machine(company.plan, lists, OUTPUTS))
    by_hand = peak_memory(lambda: reference.compute(given))
    yield "memory, batch of 10,000, 10 lines kept", by_hand / few, "at least 15"


def against_workbook(_):
    found = workbook.recalculate()
    if found is None:
        yield "recalculated as a spreadsheet", float("nan"), "at least 10,000"
        return
    recalculate, count = found
    plan = compile_model(workbook.slice_model())
    ours = with_machine(plan).series(f"margin_{workbook.PRODUCTS[-1]}")[-1]
    assert abs(recalculate() - ours) < 1e-9 * abs(ours)
    machine = plan.shared["machine"]

    def whole():
        machine.forget()
        with_machine(plan)

    taken = side_by_side(3, theirs=recalculate)
    own = side_by_side(200, ours=whole)
    yield f"a slice of {count} cells recalculated as a spreadsheet", taken["theirs"] / own["ours"], "at least 10,000"


def error_origins(company):
    lists, _ = company.batch(1000)
    with TemporaryDirectory() as folder:
        without = origins.kernel_without_origins(folder)
        usual = worker_module.kernel

        def run(module):
            def task():
                worker_module.kernel = module
                with_machine(company.plan, lists)

            return task

        taken = side_by_side(15, carrying=run(usual), without=run(without))
        worker_module.kernel = usual
    yield "cost of carrying the origin of errors", taken["carrying"] / taken["without"], "at most 1.05"


def bridging(company):
    moved = [name for name in company.given if name.startswith(("price", "churn"))][:CAUSES]
    changes = tuple(Change(name, Operation.SCALE, 1.05) for name in moved)
    model = company.plan.model
    cases = (model.cases[0], Case("other", "Other", model.cases[0].name, changes))
    plan = compile_model(replace(model, cases=cases), company.plan)
    figure = Figure("low", "Lowest cash", "cash_after_overdraft", reduction=Reduction.LOWEST)
    causes = causes_between(plan.model, model.cases[0].name, "other")
    ways = tuple(Change(name, Operation.SCALE) for name in moved)
    lists = Amounts((), ways, 1 + np.random.default_rng(1).random((2**CAUSES, CAUSES)) / 10)
    taken = side_by_side(
        7, bridge=lambda: bridge(plan, causes, figure), batch=lambda: with_machine(plan, lists, [figure.line])
    )
    yield f"bridge over {CAUSES} causes, in batch runs of its size", taken["bridge"] / taken["batch"], "at most 4"


def unfolding(company):
    plan, (flow, line) = company.plan, ("joins_3", "cash_after_overdraft")
    count = len(unfold(plan, (), flow, line).cohorts)
    lists, _ = company.batch(count + 1)
    taken = side_by_side(
        15, 5, unfold=lambda: unfold(plan, (), flow, line), batch=lambda: with_machine(plan, lists, [line])
    )
    yield f"cash by {count} cohorts, in batch runs of its size", taken["unfold"] / taken["batch"], "at most 4"


def batch_of(module, task, plan, figure):
    """A task that evaluates, as one batch, all the change lists another one does, and nothing else."""
    usual, lists = module.evaluate, []

    def recording(plan, batch, lines):
        lists.extend(batch)
        return usual(plan, batch, lines)

    module.evaluate = recording
    try:
        task()
    finally:
        module.evaluate = usual
    return lambda: with_machine(plan, lists, [figure.line])


def sweeping(company):
    """Random draws of 20 assumptions beside the reference's own batch of so many, and a square beside one batch."""
    count = 16_384
    names = [line.name for line in company.plan.model.lines if line.is_assumption][:DRAWN]
    spreads = [Spread(name, Operation.SCALE, Triangular(0.8, 1.0, 1.15)) for name in names]
    layout = lay_out(company.plan, company.plan.model.cases[0].name, spreads)
    figures = [Figure(name, name, name, reduction=Reduction.LOWEST) for name in OUTPUTS[:FIGURES]]
    standard = layout.drivers(Design(count, 1, DRAWN).standard(0, 0, count // 8))
    factors = np.tile(layout.amounts(standard), (8, 1)).T
    given = company.given | {name: company.given[name] * own for name, own in zip(names, factors, strict=True)}

    def draws():
        run_chance(company.plan, layout, figures, count=count, seed=1)

    def by_hand():
        found = reference.compute(given)
        for figure in figures:
            found[figure.line].min(axis=-2)

    taken = side_by_side(7, draws=draws, by_hand=by_hand)
    what = f"{count:,} draws of {DRAWN} assumptions, {FIGURES} figures"
    yield what, taken["by_hand"] / taken["draws"], "at least 3"
    yield f"memory, {what}", peak_memory(by_hand) / peak_memory(draws), "at least 15"
    demo = build_plan(build_demo("quillmere"))
    figure = demo.model.figure("lowest_cash")
    across, down = read_axis(demo, "base", "kits_ordered"), read_axis(demo, "base", "kit_price")

    def square():
        try_square(demo, "base", figure, across, down)

    taken = side_by_side(15, square=square, batch=batch_of(FIGURES_MODULE, square, demo, figure))
    yield "41 × 41 of two assumptions, in batch runs of its size", taken["square"] / taken["batch"], "at most 1.2"


def trying(_):
    """Moves by case, and a grid of alternatives, on the demo company: each beside one batch of its size."""
    demo = build_demo("quillmere")
    forks = tuple(Case(f"fork_{n}", f"Fork {n}", demo.cases[n].name) for n in range(2))
    plan = build_plan(replace(demo, cases=(*demo.cases, *forks), moves=demo.moves[:MOVES]))
    figure, cases = plan.model.figure("lowest_cash"), [case.name for case in plan.model.cases]

    def effects():
        for case in cases:
            move_effects(plan, case, [figure])

    taken = side_by_side(9, effects=effects, batch=batch_of(effects_module, effects, plan, figure))
    what = f"moves by case, {MOVES} moves in {len(cases)} cases, in batch runs of its size"
    yield what, taken["effects"] / taken["batch"], "below 3"
    months = [plan.model.timeline.first_plan.plus(n) for n in range(12)]
    sets = (
        read_set(plan.model, "base", f"start of price_rise: {'; '.join(map(str, months))}"),
        read_set(plan.model, "base", f"rent: {'; '.join(str(7000 + 100 * n) for n in range(12))}"),
        read_set(plan.model, "base", f"cases: {'; '.join(cases[:4])}"),
    )

    def grid():
        try_all(plan, "base", sets, [figure])

    taken = side_by_side(9, grid=grid, batch=batch_of(grid_module, grid, plan, figure))
    yield "grid of 12 × 12 × 4 alternatives, in batch runs of its size", taken["grid"] / taken["batch"], "one batch"


def slope(sizes, seconds):
    """How cost grows: 1 is in proportion."""
    return float(np.polyfit([log(size) for size in sizes], [log(taken) for taken in seconds], 1)[0])


def growth(company):
    def run(plan, size, moved=MOVED):
        ways = tuple(Change(name, Operation.SCALE) for name in moved)
        lists = Amounts((), ways, np.full((size, len(ways)), 1.01))
        return lambda: with_machine(plan, lists, OUTPUTS)

    def whole(plan):
        def task():
            plan.shared["machine"].forget()
            with_machine(plan)

        return task

    scales = (1, 2, 4, 8)
    plans = {scale: compile_model(build_model(scale)) for scale in scales}
    rows = [len(plan.model.lines) for plan in plans.values()]
    taken = side_by_side(11, 5, **{str(scale): whole(plan) for scale, plan in plans.items() if with_machine(plan)})
    yield (
        "growth with lines, one case (log-log slope, 2x to 8x)",
        slope(rows[1:], list(taken.values())[1:]),
        "at most 1.05",
    )
    prices = {scale: [f"price_{k}" for k in range(len(PRODUCTS) * scale)] for scale in scales}
    taken = side_by_side(9, **{str(scale): run(plan, 256, prices[scale]) for scale, plan in plans.items()})
    yield "growth with lines, batch of 256 (1x to 8x)", slope(rows, taken.values()), "at most 1.05"
    months = (30, 60, 120, 240)
    plans = {count: compile_model(build_model(1, count)) for count in months}
    taken = side_by_side(9, **{str(count): run(plan, 256) for count, plan in plans.items()})
    yield "growth with months, batch of 256 (30 to 240)", slope(months, taken.values()), "at most 1.05"
    sizes = (1000, 2000, 4000, 8000)
    taken = side_by_side(15, **{str(size): run(company.plan, size) for size in sizes})
    yield "growth with the batch (1,000 to 8,000)", slope(sizes, taken.values()), "at most 1.05"


def importing(_):
    probe = (
        "from time import perf_counter as now; start = now(); "
        "import widefork.core.finance.assemble, widefork.core.engine, widefork.core.analysis.explain; "
        "print(now() - start)"
    )
    usual = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    command = [sys.executable, "-c", probe]
    runs = [subprocess.run(command, capture_output=True, text=True, check=True, env=usual) for _ in range(8)]
    yield "seconds to import the core", median(float(run.stdout) for run in runs[1:]), "below 0.4"


PARTS = (
    one_case, batches, against_workbook, error_origins, bridging, unfolding, trying, sweeping, growth,
    reading_histories, forecasting, workbook.writing, importing,
)  # fmt: skip


def processor():
    facts = dict(
        line.split(":", 1) for line in Path("/proc/cpuinfo").read_text("utf-8").splitlines() if line.count(":") == 1
    )
    cores = Path("/proc/cpuinfo").read_text("utf-8").count("processor\t")
    return f"{next(v.strip() for k, v in facts.items() if k.startswith('model name'))}, {cores} cores"


def main():
    warm_up()
    company = Company()
    company.check()
    lines, rows = len(company.plan.formulas), sum(found.count for found in company.machine.program.lines.values())
    head = f"{lines} formulas, {rows} rows, {company.machine.program.months} months"
    print(f"{processor()}; {head}")
    table = []
    for part in PARTS:
        for what, value, aim in part(company):
            table.append((what, f"{value:,.3g}" if value < 1000 else f"{value:,.0f}", aim))
            print(f"{what:58} {table[-1][1]:>10}  {aim}", flush=True)
    PAGE.write_text(page(head, table), "utf-8")


def page(head, table):
    rows = "\n".join(f"| {what} | {value} | {aim} |" for what, value, aim in table)
    return f"""# How fast the core is

Written by `bench/run`, which measures side by side in one run and takes medians; a figure is how many times faster
than the same model written by hand in straight NumPy (`bench/reference.py`), unless it says otherwise. Both compute
the same to rounding, or nothing is measured. The company: {head}.

Measured on {processor()}.

| what | measured | aim |
| --- | --- | --- |
{rows}

The machine is one compiled kernel that knows no model (`core/engine`): an edited formula is live at once. Values of a
change list stand; what rides on them is computed from what it reaches only. The plain evaluator (`core/graph`) serves
until the kernel is loaded, and is its referee in the tests.
"""


if __name__ == "__main__":
    main()
