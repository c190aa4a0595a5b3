"""Fixtures every folder may use, and how hard the laws are tried."""

import os

import pytest
from hypothesis import settings

from widefork.core.engine import warm_up
from widefork.core.finance.assemble import check_plan
from widefork.demo import build_demo

# A run that decides must not depend on luck or on how busy the machine is; at a desk, luck is welcome.
settings.register_profile("desk", deadline=None)
settings.register_profile("steady", deadline=None, derandomize=True)
settings.register_profile("thorough", deadline=None, max_examples=2000)
settings.load_profile(os.environ.get("LAWS", "steady" if os.environ.get("CI") else "desk"))


@pytest.fixture(scope="session", autouse=True)
def machine():
    """All tests compute as a running server does; what is plain is asked for by name."""
    warm_up()


@pytest.fixture(scope="session")
def demo_model():
    return build_demo("quillmere")


@pytest.fixture(scope="session")
def demo_plan(demo_model):
    return check_plan(demo_model)
