"""An application on a demo of its own, one for tests that only read, and a browser for them."""

import pytest
from playwright.sync_api import sync_playwright

from tests.kit.browser import ARGUMENTS, CHROMIUM, serving, watched_page
from tests.kit.desk import Client, demo_app, demo_application, demo_workspace
from widefork.web.app import create_app


@pytest.fixture
def app(tmp_path):
    app = demo_app(tmp_path)
    yield app
    app.extensions["workspace"].store.engine.dispose()


@pytest.fixture
def client(app):
    app.config["WTF_CSRF_ENABLED"] = False
    return app.test_client()


@pytest.fixture(scope="session")
def reading_app(tmp_path_factory):
    """An application whose model nobody changes."""
    folder = tmp_path_factory.mktemp("reading")
    app = create_app(folder / "made")
    app.extensions["workspace"] = demo_workspace(folder)
    app.test_client_class = Client
    return app


@pytest.fixture(scope="session")
def reader(reading_app):
    """A client for what only reads."""
    return reading_app.test_client()


@pytest.fixture(scope="session")
def application_address():
    """Where the process's application is served, whichever desk it is laid on."""
    with serving(demo_application()) as found:
        yield found


@pytest.fixture
def address(app, application_address, request):
    yield application_address
    if "page" in request.fixturenames:  # what it still waits for must not find the desk cleared
        request.getfixturevalue("page").goto("about:blank")


@pytest.fixture(scope="session")
def reading_address(reading_app):
    """Where the application is served that only reads."""
    with serving(reading_app) as found:
        yield found


@pytest.fixture(scope="session")
def chromium():
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        yield browser
        browser.close()


@pytest.fixture
def page(chromium):
    with watched_page(chromium) as page:
        yield page
