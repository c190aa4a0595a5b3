"""Print what the business is worth, or a move."""

from dataclasses import replace
from math import isfinite
from pathlib import Path

import click

from widefork.cli.models import case_option, change_option, changes_of, in_one_sentence, model_argument, read_plan
from widefork.core.analysis.worth import PayBack, move_worth, rate_table, worth_of, worth_schedule
from widefork.core.errors import UnknownName
from widefork.core.finance.assemble import build_plan
from widefork.core.finance.schedules.worth.schedule import KIND
from widefork.core.graph.model import ScheduleSettings
from widefork.core.graph.plan import Plan


@click.command()
@model_argument
@click.option("--rate", type=float, help="The discount rate a year, such as 0.12, in place of the model's.")
@click.option("--growth", type=float, help="Growth a year beyond the plan, such as 0.02, in place of the model's.")
@click.option("--multiple", type=float, help="A multiple of the last year's EBITDA instead of growth.")
@click.option("--middle", is_flag=True, help="Flows come in the middle of their months.")
@click.option("--move", help="What a move is worth: the case with it less without.")
@click.option("--table", "shows_table", is_flag=True, help="Worth to the owners by discount rate and growth.")
@case_option
@change_option
@in_one_sentence
def worth(
    model: Path,
    rate: float | None,
    growth: float | None,
    multiple: float | None,
    middle: bool,
    move: str | None,
    shows_table: bool,
    case: str | None,
    changes: tuple[str, ...],
) -> None:
    """Print what the business is worth by its discounted free cash flow, or what a move adds to it."""
    given = {"rate": rate, "growth": growth, "multiple": multiple}
    settings: dict[str, object] = {key: value for key, value in given.items() if value is not None}
    settings |= {"within_month": "middle"} if middle else {}
    settings |= {"beyond": "multiple"} if multiple is not None else {}
    plan, name = _valued(read_plan(model), settings)
    if move is not None:
        _print_move(plan, case or plan.model.cases[0].name, move, name)
        return
    ground = changes_of(plan, case, changes)
    found = worth_of(plan, ground, name)
    click.echo(f"valued at the end of {found.valued_at}, {found.rate:.6g} a year")
    click.echo(f"plan months: {found.plan!r}")
    click.echo(f"beyond the plan: {found.end_present!r} ({found.end_value!r} at its end)")
    share = f" ({found.end_share:.1%} beyond the plan)" if isfinite(found.end_share) else ""
    click.echo(f"business: {found.business!r}{share}")
    click.echo(f"net debt: {found.net_debt!r}")
    click.echo(f"owners: {found.equity!r}")
    if shows_table:
        table = rate_table(plan, ground, name)
        click.echo(f"owners by rate and {table.what or 'nothing else'}: " + ", ".join(f"{o:.6g}" for o in table.others))
        for down, row in zip(table.rates, table.values.tolist(), strict=True):
            click.echo(f"{down:.6g}: " + ", ".join(repr(value) for value in row))


def _valued(plan: Plan, settings: dict[str, object]) -> tuple[Plan, str]:
    """The plan with a schedule of worth: its own, with other settings where some are given; else a usual one."""
    model = plan.model
    try:
        own = worth_schedule(model)
    except UnknownName:
        own = ScheduleSettings(KIND, _free_name(plan), "Worth of the business", {"rate": 0.12, "growth": 0.02})
    if own in model.schedules and not settings:
        return plan, own.name
    others = tuple(schedule for schedule in model.schedules if schedule.name != own.name)
    changed = replace(own, settings={**own.settings, **settings})
    return build_plan(replace(plan.own or model, schedules=(*others, changed))), own.name


def _free_name(plan: Plan) -> str:
    taken = {schedule.name for schedule in plan.model.schedules} | {s.name for s in plan.model.sections}
    return next(name for name in (KIND, *(f"{KIND}_{n}" for n in range(2, 99))) if name not in taken)


def _print_move(plan: Plan, case: str, move: str, name: str) -> None:
    found = move_worth(plan, case, move, name)
    click.echo(f"{move} in {case}: {found.total!r} ({found.plan!r} in the plan, {found.beyond!r} beyond)")
    rates = ", ".join(f"{rate:.6g}" for rate in found.rates) or "none"
    click.echo(f"internal rate of return within the plan: {rates}")
    click.echo(f"modified: {found.modified:.6g}" if isfinite(found.modified) else "modified: none")
    click.echo(f"pays back in {_months(found.simple)}, discounted in {_months(found.discounted)}")
    click.echo(f"profitability index: {found.index:.6g}" if isfinite(found.index) else "profitability index: none")


def _months(found: PayBack) -> str:
    if not isfinite(found.periods):
        return "no months of the plan"
    return f"{found.periods:.1f} months" if found.periods else "no time"
