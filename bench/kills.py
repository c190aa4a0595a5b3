"""A server killed sixty times while it is edited: whatever it acknowledged is there when it starts again.

Run it as ``.venv/bin/python -m bench.kills [TIMES]``.
"""

import json
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

from bench.server import Person, demo, free_port
from widefork.core.axes import Month
from widefork.store.database import open_database
from widefork.store.model_store import ModelStore

MONTH = Month(2027, 1)


def life(folder, luck):
    """Serve and edit until killed; returns the last value acknowledged and the one sent after it, None for none."""
    port = free_port()
    command = [sys.executable, "-m", "widefork", "serve", "--data", str(folder), "--port", str(port)]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    person = None
    while person is None:
        try:
            person = Person(f"http://127.0.0.1:{port}", "Ines")
        except OSError:
            time.sleep(0.05)
    threading.Timer(luck.uniform(0.1, 1.0), process.send_signal, (signal.SIGKILL,)).start()
    acknowledged = sent = None
    while process.poll() is None:
        sent = round(luck.uniform(1000, 9000), 2)
        gesture = {"kind": "type", "rows": [["rent", ""]], "months": [str(MONTH)], "value": str(sent)}
        try:
            status, _ = person.send("/m/1/drivers/cells", {"gesture": json.dumps(gesture)})
        except (OSError, ValueError, TypeError):
            break
        if status == 200:
            acknowledged, sent = sent, None
    process.wait(10)
    return acknowledged, sent


def main(times=60):
    luck, lost, edits = Random(1), 0, 0
    with TemporaryDirectory() as folder:
        path = Path(folder) / "widefork.db"
        store = ModelStore(open_database(path))
        store.create(demo())
        store.engine.dispose()
        for _ in range(times):
            acknowledged, sent = life(folder, luck)
            store = ModelStore(open_database(path))
            stored = store.load(1)
            edits = stored.revision
            values = stored.model.line("rent").rules[()].values(stored.model.timeline)
            stands = round(float(values[stored.model.timeline.index(MONTH)]), 9)
            store.engine.dispose()
            if acknowledged is not None and stands not in (acknowledged, sent):
                lost += 1
    print(f"{times} kills, {edits} edits stored, {lost} acknowledged and lost")


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
