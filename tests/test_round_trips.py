"""What is written and read, stored and loaded, compiled twice: always the same model."""

import numpy as np
import pytest
from hypothesis import given

from tests.kit.desk import empty_store
from tests.kit.laws import law
from tests.kit.strategies import models
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.finance.assemble import assemble, check_plan
from widefork.files import FORMATS


@pytest.fixture(scope="module")
def store(tmp_path_factory):
    return empty_store(tmp_path_factory.mktemp("store"))


@pytest.mark.parametrize("kind", FORMATS, ids=lambda kind: kind.name)
@law(30)
@given(model=models())
def test_every_format_reads_back_any_model_it_writes(kind, model):
    assert kind.read(kind.write(model)) == model


@law(15)
@given(model=models())
def test_any_model_loads_as_it_was_stored(store, model):
    model_id = store.create(model)
    assert store.load(model_id).model == model
    store.delete(model_id)


@law(15)
@given(model=models())
def test_a_case_without_changes_equals_its_parent_and_generated_lines_are_the_users_no_more(model):
    plan = check_plan(model)
    results = evaluate_cases(plan, ["base", "best", "better"])
    for name in ("stock", "sales", "cash"):
        values = results.values(name)
        np.testing.assert_array_equal(values[..., 1], values[..., 2])
    own = [line for line in assemble(model).lines if not line.is_generated]
    assert tuple(own) == model.lines


@law(15)
@given(model=models())
def test_no_case_reaches_into_actual_months(model):
    results = evaluate_cases(check_plan(model), ["base", "best"])
    past = slice(0, model.timeline.actual_count)
    for name in ("kits", "sales", "spread", "cash"):
        values = results.values(name)[..., past, :]
        np.testing.assert_array_equal(values[..., 0], values[..., 1])
