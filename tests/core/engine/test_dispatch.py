"""Which evaluator answers: the plain one until the machine is warm, and where it does not know a function."""

import pytest

from tests.kit.small import calculated, given, plan_of
from widefork.core.engine import evaluate, is_warm, lower, operations, warm_up, with_machine


def plan():
    return plan_of(given("x", 2), calculated("y", "x * 3 + before(y)"))


def test_a_cold_program_is_answered_plainly_and_alike(monkeypatch):
    warm = evaluate(plan()).series("y").tolist()
    monkeypatch.setattr("widefork.core.engine.dispatch._warm", [])
    assert not is_warm()
    cold = plan()
    results = evaluate(cold)
    assert "machine" not in cold.shared
    assert results.series("y").tolist() == warm == [6, 12, 18, 24, 30, 36]
    assert results.origin(float("nan")) is None


def test_a_function_the_machine_does_not_know_is_answered_plainly(monkeypatch):
    monkeypatch.setattr(lower, "can_lower", lambda name: name != "before")
    unknown = plan()
    assert with_machine(unknown).series("y").tolist() == [6, 12, 18, 24, 30, 36]
    assert unknown.shared["machine"] is None


def test_code_compiled_for_other_operations_is_refused(monkeypatch):
    kept = operations.digest()
    operations.refuse_stale(kept)
    monkeypatch.setattr(operations, "ROW_COUNTS", operations.ROW_COUNTS + 1)
    assert operations.digest() != kept
    with pytest.raises(RuntimeError, match="table of operations changed: write"):
        operations.refuse_stale(kept)


def test_warming_up_again_does_nothing(monkeypatch):
    monkeypatch.setattr("widefork.core.engine.compile_kernel.compile_kernel", lambda: pytest.fail("compiled twice"))
    warm_up()
    assert is_warm()
