"""Serve the application with a production-grade server."""

import socket
from pathlib import Path
from threading import Thread

import click
import waitress

from widefork.core.engine import is_compiled, warm_up
from widefork.web.app import create_app

HOST, PORT, THREADS = "127.0.0.1", 8400, 8
DATA = Path("var")

data_option = click.option(
    "--data",
    type=click.Path(path_type=Path),
    default=DATA,
    show_default=True,
    envvar="WIDEFORK_DATA",
    help="Folder of the database.",
)
port_option = click.option("--port", type=int, default=PORT, show_default=True, envvar="PORT")


@click.command()
@data_option
@port_option
def serve(data: Path, port: int) -> None:
    """Serve the models in a folder on this machine."""
    run_server(data, port)


def run_server(data: Path, port: int) -> None:
    """Serve until stopped; a port that is taken is said before anything else happens."""
    refuse_taken(port)
    app = create_app(data)
    Thread(target=_load_machine, daemon=True).start()
    click.echo(f"Wide Fork is at http://{HOST}:{port}  (Ctrl+C stops it)")
    waitress.serve(app, host=HOST, port=port, threads=THREADS, ident=None)


def _load_machine() -> None:
    """Load the machine beside the first requests; until it is there, and where it cannot be, models compute plainly."""
    is_first = not is_compiled()
    if is_first:
        click.echo("Compiling the calculation kernel, once; models are computed plainly until it is there ...")
    try:
        warm_up()
        if is_first:
            click.echo("The kernel is there.")
    except Exception as fault:  # whatever keeps a compiler from working must not keep the server from it
        click.echo(f"The calculation kernel cannot be loaded ({fault}); models are computed plainly.", err=True)


def refuse_taken(port: int) -> None:
    """Raise a clear complaint when the port is in use."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((HOST, port))
        except OSError as fault:
            raise click.ClickException(
                f"Port {port} is taken by another program. Stop that one, or choose another port: --port {port + 1}."
            ) from fault
