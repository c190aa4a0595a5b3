"""An application on the demo company, a server for it, and a browser that fails on any console error."""

import threading
from contextlib import contextmanager, suppress

import pytest
import waitress
from playwright.sync_api import expect, sync_playwright

from widefork.demo import build_demo
from widefork.web.app import create_app

CHROMIUM = "/usr/bin/chromium"
ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
expect.set_options(timeout=20_000)  # a machine that runs all tests at once is busy; what never comes still fails
EXPECTED_STATUSES = ("422", "409")
"""A refused edit is a 422 or 409, which the browser reports on its console by itself."""


@pytest.fixture
def app(tmp_path):
    app = create_app(tmp_path)
    app.extensions["workspace"].store.create(build_demo("quillmere"))
    return app


@pytest.fixture
def client(app):
    app.config["WTF_CSRF_ENABLED"] = False
    return app.test_client()


@contextmanager
def serving(app):
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
        thread.join(5)


@pytest.fixture
def address(app, request):
    with serving(app) as found:
        yield found
        if "page" in request.fixturenames:  # what it still waits for must not find the server gone
            request.getfixturevalue("page").goto("about:blank")


@pytest.fixture(scope="session")
def chromium():
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        yield browser
        browser.close()


@pytest.fixture
def page(chromium):
    page = chromium.new_page(viewport={"width": 1280, "height": 800})
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
