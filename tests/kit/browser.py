"""A server for an application, and a browser that fails on any console error and on any request that leaves."""

import threading
from contextlib import contextmanager, suppress

import waitress
from playwright.sync_api import expect

CHROMIUM = "/usr/bin/chromium"
ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
expect.set_options(timeout=20_000)  # a machine that runs all tests at once is busy; what never comes still fails
EXPECTED_STATUSES = ("422", "409")
"""A refused edit is a 422 or 409, which the browser reports on its console by itself."""


@contextmanager
def serving(app):
    """Serve an application in the background; gives its address."""
    server = waitress.create_server(app, host="127.0.0.1", port=0, threads=4)

    def run():
        with suppress(OSError):  # closing from outside wakes its loop on a socket that is gone
            server.run()

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{server.effective_port}"
    finally:
        server.close()
        thread.join(0.2)  # its loop may sleep on; it is a daemon, and nothing reaches it any more


@contextmanager
def watched_page(browser):
    """A page that must stay free of faults, and ask for nothing but what the application ships."""
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.set_default_timeout(15_000)
    faults, asked = [], []
    page.on("console", lambda m: faults.append(m.text) if m.type == "error" and not _is_refusal(m.text) else None)
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on("request", lambda request: asked.append(request.url))
    yield page
    page.close()
    assert faults == []
    assert [url for url in asked if not url.startswith(("http://127.0.0.1:", "data:"))] == []


def _is_refusal(text):
    return any(f"status of {status}" in text for status in EXPECTED_STATUSES)
