"""Fixtures every folder may use."""

import pytest

from widefork.core.finance.assemble import check_plan
from widefork.demo import build_demo


@pytest.fixture(scope="session")
def demo_model():
    return build_demo("quillmere")


@pytest.fixture(scope="session")
def demo_plan(demo_model):
    return check_plan(demo_model)
