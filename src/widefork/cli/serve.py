"""Serve the application with a production-grade server."""

import signal
import socket
import time
from contextlib import suppress
from pathlib import Path
from threading import Thread

import click
import waitress
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError

from widefork.cli.models import in_one_sentence
from widefork.core.engine import is_compiled, warm_up
from widefork.store.database import bring_together
from widefork.web.app import create_app

HOST, PORT, THREADS = "127.0.0.1", 8400, 8
TIDY_EVERY = 60.0
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

host_option = click.option(
    "--allow-host",
    "hosts",
    multiple=True,
    help="A further name the server answers to, behind a proxy; may be repeated.",
)


@click.command()
@data_option
@port_option
@host_option
@in_one_sentence
def serve(data: Path, port: int, hosts: tuple[str, ...]) -> None:
    """Serve the models in a folder on this machine."""
    run_server(data, port, hosts)


def run_server(data: Path, port: int, hosts: tuple[str, ...] = ()) -> None:
    """Serve until stopped; a port that is taken is said before anything else happens."""
    refuse_taken(port)
    app = create_app(data, hosts)
    engine = app.extensions["workspace"].store.engine
    Thread(target=_load_machine, daemon=True).start()
    Thread(target=_tidy, args=(engine,), daemon=True).start()
    signal.signal(signal.SIGTERM, _stop)
    click.echo(f"Wide Fork is at http://{HOST}:{port}  (Ctrl+C stops it)")
    try:
        waitress.serve(app, host=HOST, port=port, threads=THREADS, ident=None)
    finally:
        bring_together(engine)
        engine.dispose()


def _stop(*_: object) -> None:
    """Stop as Ctrl+C does, so that the data file is brought together on the way out."""
    raise KeyboardInterrupt


def _tidy(engine: Engine) -> None:
    """Bring the data file together every now and then; a copy of it alone then lacks a minute at most."""
    while True:
        time.sleep(TIDY_EVERY)
        with suppress(SQLAlchemyError):  # held by another program: the next time will do
            bring_together(engine)


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
