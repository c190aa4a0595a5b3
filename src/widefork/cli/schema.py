"""Print the JSON Schema of the open text format."""

from importlib.resources import files

import click


@click.command()
def schema() -> None:
    """Print the JSON Schema that model files are checked against."""
    click.echo(files("widefork.files.yaml_format").joinpath("schema.json").read_text("utf-8"), nl=False)
