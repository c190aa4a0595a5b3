"""Twenty people edit one model through HTTP for a minute: no edit fails, none is lost, and how long each takes.

Run it as ``.venv/bin/python -m bench.crowd [SECONDS] [PEOPLE]``. Every person sets a cell of their own again and again,
and now and then takes an edit back; at the end the model is read from the file and holds what each was told last.
"""

import json
import sys
import threading
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory
from time import perf_counter, sleep

import numpy as np

from bench.server import Person, demo, serving
from widefork.core.axes import Month
from widefork.store.database import open_database
from widefork.store.model_store import ModelStore

LINES = ("rent", "software", "loggers_price", "hours_per_kit", "hours_per_panel", "hours_per_check")


class Clerk(threading.Thread):
    """One person at their cell."""

    def __init__(self, address, place, until):
        super().__init__()
        self.person, self.until, self.luck = Person(address, f"Person{place}"), until, Random(place)
        self.line = LINES[place % len(LINES)]
        self.month = str(Month(2027, 1).plus(place // len(LINES)))
        self.taken, self.faults, self.value, self.made = [], [], None, []

    def run(self):
        while perf_counter() < self.until:
            sleep(self.luck.uniform(0.5, 2.5))  # a person looks at what moved
            takes_back = self.made and self.luck.random() < 0.1
            value = round(self.luck.uniform(1, 9), 2)
            sent = {"kind": "type", "rows": [[self.line, ""]], "months": [self.month], "value": str(value)}
            started = perf_counter()
            if takes_back:
                status, text = self.person.send("/m/1/undo", {})
            else:
                status, text = self.person.send("/m/1/drivers/cells", {"gesture": json.dumps(sent)})
            self.taken.append(perf_counter() - started)
            if status != 200:
                self.faults.append((status, text[:200]))
            elif takes_back:
                self.made.pop()
            elif not self.made or self.made[-1] != value:
                self.made.append(value)


def main(seconds=60.0, people=20):
    with TemporaryDirectory() as folder:
        with serving(folder, demo()) as address:
            until = perf_counter() + seconds
            clerks = [Clerk(address, place, until) for place in range(people)]
            for clerk in clerks:
                clerk.start()
            for clerk in clerks:
                clerk.join()
        stored = ModelStore(open_database(Path(folder) / "widefork.db")).load(1).model
    lost = [
        (clerk.line, clerk.month, _stands(stored, clerk.line, clerk.month), clerk.made[-3:])
        for clerk in clerks
        if clerk.made and _stands(stored, clerk.line, clerk.month) != clerk.made[-1]
    ]
    taken = np.concatenate([clerk.taken for clerk in clerks]) * 1000
    faults = [fault for clerk in clerks for fault in clerk.faults]
    print(f"{len(taken)} edits by {people} people, {len(faults)} faults, {len(lost)} lost updates")
    print(f"milliseconds: median {np.median(taken):.0f}, 95th percentile {np.percentile(taken, 95):.0f}")
    for found in (*faults[:3], *lost[:3]):
        print(found)


def _stands(model, line, month):
    values = model.line(line).rules[()].values(model.timeline)
    return round(float(values[model.timeline.index(Month.parse(month))]), 9)


if __name__ == "__main__":
    main(*(kind(text) for kind, text in zip((float, int), sys.argv[1:], strict=False)))
