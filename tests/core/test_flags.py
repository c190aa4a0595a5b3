"""Own flags and counters: marked months, counted months, in formulas and files."""

import pytest

from tests.kit.small import calculated, model_of, plan_of, series
from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidModel
from widefork.core.flags import Flag
from widefork.core.graph.plan import compile_model


def test_a_flag_marks_its_months_and_a_counter_counts_them():
    summer = Flag("summer", "Summer", months_of_year=(6, 7, 8))
    opened = Flag("months_open", "Months open", Month(2025, 11), Month(2026, 3), counts=True)
    timeline = Timeline(Month(2026, 1), 8)
    assert summer.values(timeline).tolist() == [0, 0, 0, 0, 0, 1, 1, 1]
    assert opened.values(timeline).tolist() == [3, 4, 5, 5, 5, 5, 5, 5]


def test_formulas_read_them_by_name():
    flags = (Flag("operating", "Operating", Month(2026, 3)), Flag("age", "Age", Month(2026, 3), counts=True))
    plan = plan_of(calculated("rent", "if operating then 900 + 10 * age else 0"), months=4, flags=flags)
    assert series(plan, "rent") == [0, 0, 910, 920]


def test_a_name_is_used_once_and_a_range_has_an_end_after_its_beginning():
    with pytest.raises(InvalidModel, match="already the name of a counter"):
        compile_model(model_of(calculated("rent", "1"), flags=(Flag("quarter", "Q"),)))
    with pytest.raises(InvalidModel, match="already the name of a flag"):
        compile_model(model_of(calculated("rent", "1"), flags=(Flag("rent", "Rent"),)))
    with pytest.raises(InvalidModel, match="before it begins"):
        Flag("open", "Open", Month(2026, 3), Month(2026, 2))
    with pytest.raises(InvalidModel, match="go from 1"):
        Flag("open", "Open", months_of_year=(13,))
