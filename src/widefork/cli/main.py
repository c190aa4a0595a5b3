"""The command line: serve the application, load models."""

import click

from widefork.cli.demo import demo
from widefork.cli.load import load
from widefork.cli.serve import serve


@click.group()
def main() -> None:
    """Driver-based operating models with three statements that always tie."""


for _command in (demo, serve, load):
    main.add_command(_command)
