"""What an edit leaves alone is not computed again."""

import pytest

from tests.kit.desk import demo_store
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.store import edits
from widefork.web.shared.workspace import Workspace

MAR27 = Month(2027, 3)


@pytest.fixture
def workspace(tmp_path):
    return Workspace(demo_store(tmp_path))


def change(workspace, case):
    edited = Change("kit_price", Operation.SET, 60.0, (("region", "Coast"),), MAR27)
    workspace.store.edit(1, "Ines", workspace.store.revision(1), edits.change_months(case, edited, "price"))
    return workspace.now(1)


def test_an_edit_of_numbers_takes_over_formulas_and_program(workspace):
    before = workspace.now(1)
    assert before.results.batch == 4
    after = change(workspace, "base")
    assert after.plan.formulas is before.plan.formulas
    assert after.plan.shared["machine"] is before.plan.shared["machine"]
    moved = after.results.values("kit_revenue") - before.results.values("kit_revenue")
    assert (moved[0, 14:] > 0).all()


def test_cases_an_edit_does_not_reach_stand_as_they_are(workspace):
    before = workspace.now(1)
    assert before.results.batch == 4
    after = change(workspace, "best")
    places = [after.place(name) for name in ("base", "best", "worst")]
    kept = [after.results.arrays.slabs[place] is before.results.arrays.slabs[place] for place in places]
    assert kept == [True, False, True]


def test_an_edit_of_a_formula_compiles_anew(workspace):
    before = workspace.now(1)
    workspace.store.edit(1, "Ines", before.revision, edits.set_formula("kits_tested", "kits_ordered * 0.5", "half"))
    after = workspace.now(1)
    assert after.plan.shared is not before.plan.shared
    assert after.plan.problems == {}
