"""Check that a model holds."""

import sys
from math import isfinite
from pathlib import Path

import click

from widefork.cli.models import FAILED, faults_of, in_one_sentence, model_argument, read_model, use_machine
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.analysis.idle import idle_changes
from widefork.core.finance.assemble import build_plan
from widefork.core.finance.checks import ALL_CHECKS, Checked
from widefork.core.graph.plan import Plan


@click.command()
@model_argument
@in_one_sentence
def check(model: Path) -> None:
    """Say whether formulas can be read, units fit, and the statements tie in every month of every case."""
    use_machine()
    plan = build_plan(read_model(model))
    faults = faults_of(plan)
    faults += _findings(plan, of_plan=False) if not faults else []
    for case in plan.model.cases if not faults else ():
        for idle in idle_changes(plan, plan.model.changes_of(case.name)):
            click.echo(f"note: {case.name}: {idle.sentence}")
    for finding in _findings(plan, of_plan=True) if not faults else ():
        click.echo(f"note: {finding}")
    for name, warnings in plan.warnings.items():
        for warning in warnings:
            click.echo(f"note: {name}: {warning.sentence}")
    for fault in faults:
        click.echo(fault)
    if faults:
        sys.exit(FAILED)
    click.echo(f"{plan.model.name}: {len(plan.model.lines)} lines in {len(plan.model.cases)} cases hold.")


def _findings(plan: Plan, of_plan: bool) -> list[str]:
    model = plan.model
    checked = Checked(evaluate_cases(plan, [case.name for case in model.cases]))
    faults = []
    for check in [check for check in ALL_CHECKS if check.is_of_plan == of_plan]:
        for finding in check.find(checked):
            where = f" ({model.case(finding.case).label})" if finding.case else ""
            when = f" from {finding.month.label}" if finding.month is not None else ""
            much = f", by {finding.amount:,.2f}" if isfinite(finding.amount) else ""
            faults.append(f"{check.label}{where}{when}{much}: {finding.cause}")
    return faults
