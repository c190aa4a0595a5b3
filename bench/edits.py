"""How long an edit takes in the browser: from the key to the painted page, and of it the server.

Run it as ``.venv/bin/python -m bench.edits [NAME ...] [--beside SOURCE]``. Names: demo, long (500 lines by 3 members by
60 months), longer (800 lines), years (the demo over 240 months), cases (the demo in 12 cases). ``--beside`` also
measures the code in another checkout's ``src``, in turns, so that both have the same machine. Also prints how long a
warm server takes for a page.
"""

import argparse
import urllib.request
from contextlib import ExitStack
from tempfile import TemporaryDirectory
from time import perf_counter

import numpy as np
from playwright.sync_api import sync_playwright

from bench.server import demo, long_model, many_cases, serving

MODELS = {
    "demo": (demo, "kit_price", "row-kit_price-0", "open=kit_price"),
    "long": (lambda: long_model(500), "price_3", "row-price_3-1", "open=price_3"),
    "longer": (lambda: long_model(800), "price_3", "row-price_3-1", "open=price_3"),
    "years": (lambda: demo(240), "kit_price", "row-kit_price-0", "open=kit_price"),
    "cases": (many_cases, "kit_price", "row-kit_price-0", "open=kit_price"),
}
PAGES = (
    "lookout",
    "drivers",
    "statements",
    "terms",
    "people",
    "waterline",
    "cases",
    "compare",
    "swings",
    "outgoings",
    "log",
)
EDITS = 30
WATCH = """() => {
  window.taken = [];
  window.pressed = 0;
  const note = (event) => { if (event.key === "Enter") window.pressed = performance.now(); };
  document.addEventListener("keydown", note, true);
  let said = document.getElementById("latest-sentence").textContent;
  new MutationObserver(() => {
    const now = document.getElementById("latest-sentence")?.textContent;
    if (now === said) return;
    said = now;
    const from = window.pressed;
    requestAnimationFrame(() => setTimeout(() => window.taken.push(performance.now() - from), 0));
  }).observe(document.body, { subtree: true, childList: true, characterData: true });
  performance.setResourceTimingBufferSize(5000);
}"""
SERVER = """() => {
  const sent = performance.getEntriesByType("resource").filter((entry) => entry.initiatorType === "xmlhttprequest");
  return sent.map((entry) => entry.duration);
}"""


class Desk:
    """A browser on a server's sheet, editing one cell again and again."""

    def __init__(self, browser, address, row, query):
        self.page = browser.new_page(viewport={"width": 1280, "height": 800})
        self.page.goto(f"{address}/m/1/drivers?{query}")
        self.page.wait_for_load_state("networkidle")
        self.page.evaluate(WATCH)
        self.cell = self.page.locator(f"#{row} td.editable").nth(4)
        self.count = 0

    def edit(self):
        self.count += 1
        self.cell.click()
        self.page.keyboard.type(f"{40 + self.count / 8:.3f}")
        self.page.keyboard.press("Enter")
        self.page.wait_for_function("count => window.taken.length >= count", arg=self.count)

    def result(self):
        taken = np.array(self.page.evaluate("() => window.taken")[3:])
        server = np.array(self.page.evaluate(SERVER))
        return taken, server[3:]


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("names", nargs="*", default=["demo", "long"])
    parser.add_argument("--beside")
    asked = parser.parse_args()
    for name in asked.names:
        make, _, row, query = MODELS[name]
        sources = [("this", None), *([("beside", asked.beside)] if asked.beside else [])]
        with ExitStack() as stack, sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"]
            )
            desks = {}
            for label, source in sources:
                folder = stack.enter_context(TemporaryDirectory())
                address = stack.enter_context(serving(folder, make(), source))
                desks[label] = (Desk(browser, address, row, query), address)
            for _ in range(EDITS):
                for desk, _ in desks.values():
                    desk.edit()
            for label, (desk, address) in desks.items():
                taken, server = desk.result()
                half, most = np.median(taken), np.percentile(taken, 95)
                print(f"{name}, {label}: key to painted page, median {half:.0f} ms, 95th percentile {most:.0f} ms")
                print(f"  requests of it, median {np.median(server):.0f} ms")
                print(f"  pages: {'  '.join(f'{page} {seconds * 1000:.0f}' for page, seconds in pages(address))}")
            browser.close()


def pages(address):
    """How long each page takes, the second time."""
    for page in PAGES:
        for _ in range(2):
            started = perf_counter()
            with urllib.request.urlopen(f"{address}/m/1/{page}", timeout=300) as reply:
                reply.read()
        yield page, perf_counter() - started


if __name__ == "__main__":
    main()
