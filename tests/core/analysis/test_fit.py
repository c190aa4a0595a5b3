"""People ranked for a seat: by levels asked for, with reasons; nobody gains by what is not asked. Constructed."""

import pytest

from widefork.core.analysis.fit import Costs, Gap, rank_people, read_asks
from widefork.core.axes import Dimension
from widefork.core.errors import InvalidValue, UnknownName

TEAMS = Dimension("team", ("Lab", "Field"), attributes={"Lab": {"region": "Coast"}, "Field": {"region": "Valley"}})
STAFF = Dimension(
    "crew",
    ("Ada", "Bruno", "Cleo", "Dario"),
    attributes={
        "Ada": {"team": "Field", "manager": "Thea", "sampling": 2, "reports": 9},
        "Bruno": {"team": "Lab", "manager": "Ines", "sampling": 3, "chemistry": 2},
        "Cleo": {"team": "Lab", "chemistry": 2, "sampling": 1},
        "Dario": {"team": "Field", "sampling": 3, "chemistry": 1},
    },
)
COSTS = Costs(level_cost=500, level_months=1.5, moving_cost=1200)


def test_people_are_ranked_by_what_is_asked_then_by_cost():
    ranked = rank_people({"sampling": 3, "chemistry": 2}, STAFF, TEAMS, "Lab", COSTS)
    assert [fit.person for fit in ranked] == ["Bruno", "Dario", "Cleo", "Ada"]
    bruno, dario, cleo, ada = ranked
    assert (bruno.share, bruno.gaps, bruno.cost, bruno.is_there) == (1.0, (), 0, True)
    assert dario.share == pytest.approx(4 / 5)
    assert (dario.months, dario.training, dario.moving) == (1.5, 500, 1200)
    assert cleo.gaps == (Gap("sampling", 3, 1),)
    assert ada.share == pytest.approx(2 / 5)  # reports are not asked for
    assert ada.gaps == (Gap("chemistry", 2, 0), Gap("sampling", 3, 2))
    assert ada.manager == "Thea"


def test_a_seat_that_asks_for_nothing_fits_everybody():
    assert {fit.share for fit in rank_people({}, STAFF, TEAMS, "Field", COSTS)} == {1.0}
    with pytest.raises(UnknownName):
        rank_people({}, STAFF, TEAMS, "Nowhere", COSTS)


@pytest.mark.parametrize(
    ("text", "said"),
    [("sampling", "got “sampling”"), ("3", "Expected skills"), ("sampling 11", "from 0 to 10"),
     ("sampling 3, Sampling 2", "asked for twice")],
)  # fmt: skip
def test_what_a_seat_asks_for_is_read_or_refused(text, said):
    with pytest.raises(InvalidValue, match=said):
        read_asks(text)


def test_what_is_asked_may_be_written_over_lines():
    assert read_asks("soil sampling 3;chemistry 2.5\n") == {"soil sampling": 3, "chemistry": 2.5}
    assert read_asks(" ") == {}
