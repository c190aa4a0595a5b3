"""Write a model as a workbook of formulas."""

from datetime import UTC, datetime
from pathlib import Path

import click

from widefork.cli.models import case_option, in_one_sentence, model_argument, read_plan
from widefork.core.errors import InvalidValue
from widefork.files.workbook import write_workbook


@click.command()
@model_argument
@click.argument("out", type=click.Path(dir_okay=False, path_type=Path))
@case_option
@in_one_sentence
def export(model: Path, out: Path, case: str | None) -> None:
    """Write a model as an .xlsx workbook whose cells are formulas, with a case chosen in it."""
    if out.suffix != ".xlsx":
        raise InvalidValue(f"A workbook ends in .xlsx; not {out.name}.")
    plan = read_plan(model)
    name = plan.model.case(case).name if case else plan.model.cases[0].name
    written = write_workbook(plan, name, out, datetime.now(UTC).date())
    share = written.live / written.cells if written.cells else 1.0
    click.echo(f"{out}: {share:.1%} of {written.cells:,} calculated cells are formulas.")
    for line, why in written.fixed.items():
        click.echo(f"as values: {plan.model.line(line).label}, as {why}")
