"""Runs the command line: ``python -m widefork``."""

from widefork.cli.main import main

main()
