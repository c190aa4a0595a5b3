"""Print the JSON Schema of the open text format."""

import json

import click

from widefork.files.yaml_format.schema import model_schema


@click.command()
def schema() -> None:
    """Print the JSON Schema that model files are checked against."""
    click.echo(json.dumps(model_schema(), ensure_ascii=False, indent=1))
