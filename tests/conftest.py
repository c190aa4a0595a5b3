"""Fixtures every folder may use."""

import pytest

from tests.kit import desk
from tests.kit.laws import load_laws
from widefork.core.engine import warm_up

BROWSER_FIXTURES = {"chromium", "page"}
load_laws()


def pytest_collection_modifyitems(items):
    """A test that asks for a browser is marked as one that needs it."""
    for item in items:
        if BROWSER_FIXTURES & set(getattr(item, "fixturenames", ())):
            item.add_marker(pytest.mark.browser)


@pytest.fixture(scope="session", autouse=True)
def machine():
    """All tests compute as a running server does; what is plain is asked for by name."""
    warm_up()


@pytest.fixture(scope="session")
def demo_model():
    return desk.demo_model()


@pytest.fixture(scope="session")
def demo_plan():
    return desk.demo_snapshot().plan


@pytest.fixture
def store(tmp_path):
    """A store with the demo as model 1."""
    store = desk.demo_store(tmp_path)
    yield store
    store.engine.dispose()


@pytest.fixture
def nothing_stored(tmp_path):
    """A store without models."""
    store = desk.empty_store(tmp_path)
    yield store
    store.engine.dispose()
