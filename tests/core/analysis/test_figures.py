import numpy as np
import pytest

from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.figures import answer
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.figures import Comparison, Figure, Reduction

PLAN = plan_of(
    given("cash", {"monthly": {"start": "2026-01", "amounts": [5, -3, -8, 1, 2, 9]}}),
    calculated("broken", "1 / (cash - 1)"),
)
JAN, FEB, MAR, APR, MAY, JUN = (Month(2026, m) for m in range(1, 7))


def ask(reduction, line="cash", **more):
    figure = Figure("f", "F", line, reduction=reduction, **more)
    found = answer(figure, evaluate(PLAN, [(), [Change("cash", Operation.ADD, 4)]]))
    return found.amounts.tolist(), found.months


@pytest.mark.parametrize(
    ("reduction", "more", "amounts", "months"),
    [
        (Reduction.SUM, {}, [6, 30], (None, None)),
        (Reduction.SUM, {"first": APR}, [12, 24], (None, None)),
        (Reduction.MEAN, {}, [1, 5], (None, None)),
        (Reduction.VALUE, {"last": MAR}, [-8, -4], (MAR, MAR)),
        (Reduction.LOWEST, {}, [-8, -4], (MAR, MAR)),
        (Reduction.HIGHEST, {"last": APR}, [5, 9], (JAN, JAN)),
        (Reduction.MONTH_COUNT, {"comparison": Comparison.BELOW}, [2, 1], (None, None)),
        (Reduction.FIRST_MONTH, {"first": APR, "threshold": 5.5}, [JUN.ordinal, MAY.ordinal], (JUN, MAY)),
        (Reduction.FIRST_MONTH, {"comparison": Comparison.AT_MOST}, [FEB.ordinal, MAR.ordinal], (FEB, MAR)),
    ],
)  # fmt: skip
def test_every_reduction_answers_for_each_of_a_batch(reduction, more, amounts, months):
    assert ask(reduction, **more) == (amounts, months)


def test_no_month_answers_is_no_answer():
    amounts, months = ask(Reduction.FIRST_MONTH, threshold=1000.0)
    assert np.isnan(amounts).all()
    assert months == (None, None)


def test_an_error_value_in_the_range_gives_no_lowest():
    amounts, months = ask(Reduction.LOWEST, line="broken")
    assert np.isnan(amounts[0])
    assert months[0] is None


def test_ranges_that_cannot_be_are_refused():
    with pytest.raises(InvalidModel, match="before it begins"):
        Figure("f", "F", "cash", first=JUN, last=JAN)
    with pytest.raises(InvalidModel, match="the model has 2026-01 to 2026-06"):
        ask(Reduction.SUM, first=Month(2030, 1))
