"""The command line: serve the application, load models, compute without it. One line here per command."""

import click

from widefork.cli.backup import backup, restore
from widefork.cli.bridge import bridge
from widefork.cli.calc import calc
from widefork.cli.cases import cases
from widefork.cli.chance import chance
from widefork.cli.check import check
from widefork.cli.compare import compare
from widefork.cli.demo import demo
from widefork.cli.explain import explain
from widefork.cli.export import export
from widefork.cli.forecast import forecast
from widefork.cli.grid import grid
from widefork.cli.history import history
from widefork.cli.load import load
from widefork.cli.schema import schema
from widefork.cli.serve import serve
from widefork.cli.solve import solve
from widefork.cli.swings import swings
from widefork.cli.table import table
from widefork.cli.worth import worth

COMMANDS = (
    demo,
    serve,
    load,
    backup,
    restore,
    calc,
    check,
    explain,
    swings,
    table,
    chance,
    solve,
    worth,
    forecast,
    history,
    export,
    bridge,
    grid,
    cases,
    compare,
    schema,
)


@click.group()
@click.option("--verbose", is_flag=True, help="Say which evaluator computes.")
def main(verbose: bool) -> None:
    """Driver-based operating models with three statements that always tie."""


for _command in COMMANDS:
    main.add_command(_command)
