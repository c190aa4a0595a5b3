"""A server of its own for measuring: a process on a data folder with one model in it, and how to talk to it."""

import re
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.parse
import urllib.request
from contextlib import contextmanager
from dataclasses import replace
from http.cookiejar import CookieJar
from pathlib import Path

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes import Case, Change, Operation
from widefork.core.graph.model import Model
from widefork.core.lines import Line, Section
from widefork.core.rules import RULES, read_rule
from widefork.demo import build_demo
from widefork.store.database import open_database
from widefork.store.model_store import ModelStore

REGIONS = Dimension("region", ("Coast", "Valley", "Upland"), "Region")


def demo(months=None):
    """Return the demo company, perhaps over more months."""
    model = build_demo("quillmere")
    return model if months is None else replace(model, timeline=replace(model.timeline, month_count=months))


def many_cases(count=12):
    """Return the demo company with so many cases, each a fork with two changes of its own."""
    model = build_demo("quillmere")
    given = [line.name for line in model.lines if line.is_assumption]
    cases = list(model.cases)
    for place in range(len(cases), count):
        steps = tuple(Change(given[place * 2 + k], Operation.SCALE, 0.9 + place / 50) for k in range(2))
        cases.append(Case(f"fork_{place}", f"Fork {place}", cases[place % 4].name, steps))
    return replace(model, cases=tuple(cases))


def long_model(lines, months=60):
    """Return a model of so many lines over three regions: prices and volumes, and what they come to."""
    sections = tuple(Section(f"part_{n}", f"Part {n}") for n in range(max(1, lines // 24)))
    made = []
    for place in range(lines // 3):
        section = sections[place * len(sections) * 3 // lines % len(sections)].name
        for name, unit, amount in (
            (f"price_{place}", "EUR/kit", 40 + place % 7),
            (f"kits_{place}", "kits", 90 + place),
        ):
            rules = {(region,): read_rule(RULES, amount + n) for n, region in enumerate(REGIONS)}
            made.append(Line(name, name.capitalize(), unit, section, ("region",), rules=rules))
        total = Line(f"sales_{place}", f"Sales {place}", "EUR", section, ("region",), f"price_{place} * kits_{place}",
                     posts_to="revenue")  # fmt: skip
        made.append(total)
    return Model("Long", "EUR", Timeline(Month(2026, 1), months, 1, Month(2026, 6)), (REGIONS,), sections, tuple(made))


def free_port():
    """Return a port nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@contextmanager
def serving(folder, model, source=None):
    """Serve a model from a process of its own; gives its address. ``source`` serves with another checkout's code."""
    store = ModelStore(open_database(Path(folder) / "widefork.db"))
    store.create(model)
    store.engine.dispose()
    port = free_port()
    command = [sys.executable, "-m", "widefork", "serve", "--data", str(folder), "--port", str(port)]
    environment = None if source is None else {"PYTHONPATH": str(source), "PATH": "/usr/bin:/bin"}
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=environment)
    try:
        wait_for(f"http://127.0.0.1:{port}/m/1/lookout", process)
        yield f"http://127.0.0.1:{port}"
    finally:
        process.terminate()
        process.wait(20)


def wait_for(url, process):
    """Wait until a page is answered, and the kernel is there."""
    for _ in range(600):
        if process.poll() is not None:
            raise RuntimeError("the server stopped before it answered")
        try:
            with urllib.request.urlopen(url, timeout=60):
                break
        except OSError:
            time.sleep(0.1)
    time.sleep(4)


class Person:
    """Somebody at the application, over HTTP, as the page's own script talks to it."""

    def __init__(self, address, name):
        self.address, self.name = address, name
        self.jar = CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))
        self.opener.addheaders = [("Cookie", f"person={name}")]
        page = self.read("/m/1/drivers")
        self.token = re.search(r'"X-CSRFToken": "([^"]+)"', page)[1]
        self.look(page)

    def read(self, path):
        """Return a page."""
        with self.opener.open(self.address + path, timeout=120) as reply:
            return reply.read().decode()

    def look(self, page):
        """Remember what the page is."""
        self.shown = re.search(r'data-shown="([^"]+)"', page)[1]
        self.seen = re.search(r'data-revision="([^"]+)"', page)[1]

    def send(self, path, form):
        """Send a form; return its status and the reply."""
        data = urllib.parse.urlencode({**form, "seen": self.seen, "back": "/m/1/drivers", "case": "base"}).encode()
        session = "; ".join(f"{cookie.name}={cookie.value}" for cookie in self.jar)
        headers = {"X-CSRFToken": self.token, "HX-Request": "true", "HX-Target": "body", "X-Shown": self.shown,
                   "Cookie": f"person={self.name}; {session}"}  # fmt: skip
        request = urllib.request.Request(self.address + path, data, headers)
        try:
            with urllib.request.urlopen(request, timeout=120) as reply:
                text = reply.read().decode()
                self.look(text)
                return reply.status, text
        except urllib.error.HTTPError as fault:
            return fault.code, fault.read().decode()
