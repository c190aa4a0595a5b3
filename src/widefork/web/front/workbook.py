"""A model's workbook: written beside requests, handed out when it is there."""

from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory

from widefork.files.workbook import write_workbook
from widefork.web.shared.jobs import Job, Jobs, Told
from widefork.web.shared.workspace import Snapshot

PATIENCE = 1.5
"""Seconds a request waits for a workbook before it shows how far it is."""


def workbook_of(jobs: Jobs, snapshot: Snapshot, case: str, patience: float) -> Job:
    """Return the work on a case's workbook, its file as bytes once it is found; begun if nobody did."""
    plan, on = snapshot.plan, datetime.now(UTC).date()

    def work(told: Told) -> bytes:
        with TemporaryDirectory() as folder:
            path = Path(folder) / "workbook.xlsx"
            write_workbook(plan, case, path, on, told)
            return path.read_bytes()

    key = ("workbook", snapshot.stored.id, snapshot.revision, case, on)
    known = jobs.known(key)
    if patience and known is not None and known.fault is not None:
        jobs.forget(key)  # asked again, it may work by now
    return jobs.get(key, work, patience)


def read_turn(text: str) -> int:
    """Return how often the page that waits has asked; 0 for one that did not wait."""
    return int(text) if text.isdecimal() and len(text) < 6 else 0
