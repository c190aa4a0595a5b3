import pytest

from tests.kit.small import calculated, given
from widefork.core.errors import InvalidModel
from widefork.core.lines import LINE_NAME, Line, OverMembers, OverTime, Rollup


@pytest.mark.parametrize(
    ("unit", "time", "members"),
    [
        ("EUR", OverTime.SUM, OverMembers.SUM),
        ("kits", OverTime.SUM, OverMembers.SUM),
        ("EUR/kit", OverTime.NONE, OverMembers.NONE),
        ("% a year", OverTime.NONE, OverMembers.NONE),
        ("EUR a year", OverTime.NONE, OverMembers.NONE),
        ("days", OverTime.NONE, OverMembers.NONE),
    ],
)
def test_flows_are_added_up_and_levels_have_no_total_unless_told_otherwise(unit, time, members):
    assert Rollup.default(unit) == Rollup(time, members)


@pytest.mark.parametrize("name", ["kit_price", "αξία", "价格", "x2", "größe"])
def test_names_may_be_in_any_script(name):
    assert LINE_NAME.fullmatch(name)
    assert given(name, 1).name == name


@pytest.mark.parametrize("name", ["Kit", "2x", "_x", "kit price", "if", "at", "", "kitPrice"])
def test_other_names_are_refused_with_an_example(name):
    with pytest.raises(InvalidModel, match="like kit_price"):
        given(name, 1)


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: Line("x", "X"), "either a formula or rules"),
        (lambda: Line("x", "X", formula="1", rules=given("y", 1).rules), "and not both"),
        (lambda: calculated("x", "1", over=("a", "b", "c", "d")), "at most three"),
        (lambda: given("x", {("Coast", "Kit"): 1}, over=("region",)), "does not name one member"),
    ],
)
def test_lines_that_contradict_themselves_are_refused(make, said):
    with pytest.raises(InvalidModel, match=said):
        make()
