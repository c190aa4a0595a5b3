"""Check that a model holds."""

import sys
from pathlib import Path

import click
import numpy as np

from widefork.cli.models import FAILED, in_one_sentence, model_argument, read_plan
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.analysis.idle import idle_changes
from widefork.core.finance.statements import CHECKS
from widefork.core.graph.plan import Plan

TOLERANCE = 1e-6


@click.command()
@model_argument
@in_one_sentence
def check(model: Path) -> None:
    """Say whether formulas can be read, units fit, and the statements tie in every month of every case."""
    plan = read_plan(model)
    faults = [f"{name}: {problem.sentence}" for name, problem in plan.problems.items()]
    faults += _gaps(plan) if not faults else []
    for case in plan.model.cases if not faults else ():
        for idle in idle_changes(plan, plan.model.changes_of(case.name)):
            click.echo(f"note: {case.name}: {idle.sentence}")
    for name, warnings in plan.warnings.items():
        for warning in warnings:
            click.echo(f"note: {name}: {warning.sentence}")
    for fault in faults:
        click.echo(fault)
    if faults:
        sys.exit(FAILED)
    click.echo(f"{plan.model.name}: {len(plan.model.lines)} lines in {len(plan.model.cases)} cases hold.")


def _gaps(plan: Plan) -> list[str]:
    cases = [case.name for case in plan.model.cases]
    results = evaluate_cases(plan, cases)
    size = max(1.0, float(np.abs(np.nan_to_num(results.values("total_assets"))).max()))
    faults = []
    for name in CHECKS:
        gaps = results.values(name)
        for place, case in enumerate(cases):
            wrong = np.flatnonzero(~(np.abs(gaps[:, place]) <= TOLERANCE * size))
            if wrong.size:
                month = plan.model.timeline.months[int(wrong[0])]
                label = plan.model.line(name).label
                faults.append(f"{label} is {gaps[wrong[0], place]:,.2f} in {month} of {case}, and should be 0")
    return faults
