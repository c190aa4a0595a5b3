from contextlib import suppress
from dataclasses import replace

import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Operation
from widefork.core.errors import ChangeRefused, FormulaError, InvalidModel, InvalidValue, UnknownName
from widefork.core.figures import Figure
from widefork.core.flags import Flag
from widefork.store import edits
from widefork.store.errors import EditConflict, UndoRefused
from widefork.store.model_store import ModelStore

MAR27 = Month(2027, 3)
COAST = (("region", "Coast"),)


def change(store, case="base", line="kit_price", amount=52.0, members=COAST, person="Ines", seen=None, **more):
    edited = Change(
        line, more.pop("operation", Operation.SET), amount, members, more.pop("first", MAR27), more.pop("last", None)
    )
    seen = store.revision(1) if seen is None else seen
    return store.edit(1, person, seen, edits.change_months(case, edited, f"{line} {amount}"), **more)


def test_a_stored_model_loads_as_it_was(store, demo_model):
    assert store.load(1).model == demo_model
    assert [info.name for info in store.shelf.models()] == [demo_model.name]


def test_an_edit_in_base_changes_the_rule_of_that_member_from_that_month_on(store):
    change(store)
    rules = store.load(1).model.line("kit_price").rules
    assert rules[("Coast",)].words(lambda v: f"{v:g}") == "49 from Jan 26, then 50.47 from Jan 27, then 52 from Mar 27"
    assert rules[("Valley",)] == store.load(1).model.line("kit_price").rules[("Valley",)]


def test_an_edit_in_a_case_stays_in_that_case(store, demo_model):
    change(store, case="worst")
    model = store.load(1).model
    assert model.line("kit_price") == demo_model.line("kit_price")
    assert model.case("worst").changes[-1] == Change("kit_price", Operation.SET, 52.0, COAST, MAR27)
    change(store, case="worst", amount=53.0)
    assert [c.amount for c in store.load(1).model.case("worst").changes if c.line == "kit_price"] == [53.0]
    store.edit(
        1, "Ines", store.revision(1), edits.back_to_parent("worst", [edits.CellsBack("kit_price", ("Coast",))], "back")
    )
    assert store.load(1).model.case("worst") == demo_model.case("worst")


def test_a_schedules_setting_is_edited_like_any_assumption(store):
    change(store, line="bridge_loan_amount", members=(), amount=1000.0, first=None)
    (bridge,) = (s for s in store.load(1).model.schedules if s.name == "bridge_loan")
    assert bridge.settings["amount"] == {"steps": {"2026-01": 0, "2026-07": 1000}}


def test_undo_and_redo_walk_a_persons_edits(store, demo_model):
    change(store, amount=50.0)
    change(store, amount=51.0)
    after = store.load(1).model
    assert store.undo(1, "Ines") == "kit_price 51.0"
    assert store.undo(1, "Ines") == "kit_price 50.0"
    assert store.load(1).model == demo_model
    store.redo(1, "Ines")
    store.redo(1, "Ines")
    assert store.load(1).model == after
    with pytest.raises(UndoRefused, match="nothing to put back"):
        store.redo(1, "Ines")
    assert [entry.sentence for entry in store.log(1)][:2] == ["put back: kit_price 51.0", "put back: kit_price 50.0"]


def test_a_new_edit_forgets_what_could_be_put_back(store):
    change(store, amount=50.0)
    store.undo(1, "Ines")
    change(store, amount=51.0)
    assert store.can_undo(1, "Ines") == ("kit_price 51.0", None)


def test_undo_is_per_person_and_refused_when_somebody_has_changed_the_same_since(store):
    change(store, amount=50.0, person="Ines")
    change(store, amount=51.0, person="Okan")
    with pytest.raises(UndoRefused, match=r"changed since: kit_price 50\.0"):
        store.undo(1, "Ines")
    with pytest.raises(UndoRefused, match="nothing of yours"):
        store.undo(1, "Maro")
    store.undo(1, "Okan")
    store.undo(1, "Ines")


def test_an_edit_others_built_upon_is_passed_over_and_offered_again_when_they_step_back(store):
    store.edit(1, "Ines", 0, edits.change_line("rent", "first", note="by Ines"))
    change(store, amount=50.0, person="Ines")
    change(store, amount=51.0, person="Okan")
    assert store.can_undo(1, "Ines")[0].startswith("kit_price")
    with pytest.raises(UndoRefused, match=r"It stays\. Undo once more takes back: first\."):
        store.undo(1, "Ines")
    assert store.can_undo(1, "Ines")[0] == "first"
    assert store.undo(1, "Ines") == "first"
    assert store.can_undo(1, "Ines") == (None, "first")
    assert store.redo(1, "Ines") == "first"
    store.undo(1, "Okan")
    assert store.can_undo(1, "Ines")[0] == "first"
    store.undo(1, "Ines")
    assert store.undo(1, "Ines").startswith("kit_price")
    again = ModelStore(store.engine)  # read from the log, whatever order they were taken back in
    assert again.can_undo(1, "Ines") == store.can_undo(1, "Ines")


def test_two_people_editing_the_same_never_lose_each_others_work(store):
    seen = store.revision(1)
    change(store, amount=50.0, person="Okan", seen=seen)
    with pytest.raises(EditConflict, match=r"Okan changed this meanwhile: kit_price 50\.0"):
        change(store, amount=51.0, person="Ines", seen=seen)
    assert store.revision(1) == seen + 1
    change(store, amount=52.0, person="Ines", seen=seen, members=(("region", "Valley"),))
    change(store, amount=51.0, person="Ines", seen=seen, despite_conflict=True)
    assert store.load(1).model.line("kit_price").rules[("Coast",)].words(lambda v: f"{v:g}").endswith("51 from Mar 27")


@pytest.mark.parametrize(
    ("edit", "error", "said"),
    [
        (edits.set_formula("kit_revenue", "kits_sold * kit_prce", "x"), FormulaError, "Did you mean kit_price"),
        (edits.set_formula("kit_revenue", "kits_sold *", "x"), FormulaError, "ends too early"),
        (edits.set_formula("kits_sold", "kit_revenue / 2", "x"), FormulaError, "all in the same month"),
        (edits.set_formula("kit_price", "3", "x"), ChangeRefused, "is an assumption"),
        (edits.set_formula("kit_prize", "3", "x"), UnknownName, "Did you mean kit_price"),
        (edits.change_months("base", Change("kit_revenue", Operation.SET, 1), "x"), ChangeRefused, "is calculated"),
        (edits.change_months("worst", Change("cash", Operation.SET, 1), "x"), ChangeRefused, "caption or total"),
        (
            edits.change_months("base", Change("rent", Operation.SET, 1, (), None, Month(2026, 3)), "x"),
            InvalidValue,
            "history",
        ),
        (edits.change_months("nobody", Change("rent", Operation.SET, 1), "x"), UnknownName, "no case"),
        (edits.rename_line("kits_sold", "kit_price", "x"), InvalidModel, "used once"),
        (edits.remove_figure("nothing", "x"), UnknownName, "no figure"),
    ],
)
def test_a_refused_edit_leaves_the_stored_model_unchanged(store, demo_model, edit, error, said):
    with pytest.raises(error, match=said):
        store.edit(1, "Ines", 0, edit)
    assert store.load(1).model == demo_model
    assert store.revision(1) == 0


def test_a_rename_follows_into_formulas_rollups_and_changes(store):
    store.edit(1, "Ines", 0, edits.rename_line("kits_sold", "kits_paid", "rename"))
    store.edit(1, "Ines", 1, edits.rename_line("kits_ordered", "kits_asked", "rename"))
    model = store.load(1).model
    assert model.line("kit_revenue").formula == "kits_paid * kit_price"
    assert model.line("kit_price").rollup.denominator == "kits_paid"
    assert "kits_asked" in {c.line for c in model.case("best").changes}
    store.undo(1, "Ines")
    store.undo(1, "Ines")
    assert store.load(1).model.line("kit_revenue").formula == "kits_sold * kit_price"


def test_figures_are_stored_pinned_and_removed(store):
    store.edit(1, "Ines", 0, edits.add_figure(Figure("coast", "Coast kits", "kits_sold", ("Coast",)), "add"))
    store.edit(1, "Ines", 1, edits.change_figure("coast", "pin", is_pinned=True))
    figure = store.load(1).model.figure("coast")
    assert (figure.members, figure.is_pinned) == (("Coast",), True)
    store.edit(1, "Ines", 2, edits.remove_figure("coast", "remove"))
    store.undo(1, "Ines")
    assert store.load(1).model.figure("coast") == figure


edit_strategy = st.tuples(
    st.sampled_from(["base", "best", "worst"]),
    st.sampled_from([("kit_price", COAST), ("kit_price", ()), ("rent", ()), ("municipal_days", ())]),
    st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE]),
    st.floats(0.5, 90),
    st.sampled_from([None, MAR27]),
    st.sampled_from([None, Month(2027, 9)]),
)  # fmt: skip


@law(8)
@forall(st.lists(edit_strategy, min_size=1, max_size=4))
def test_any_run_of_edits_undone_is_the_model_before_it(store, edits_made):
    before = store.load(1).model
    revision = store.revision(1)
    for case, (line, members), operation, amount, first, last in edits_made:
        with suppress(InvalidModel):  # days beyond what terms can be; then nothing is stored
            change(store, case, line, amount, members, operation=operation, first=first, last=last)
    made = store.revision(1) - revision
    for _ in range(made):
        store.undo(1, "Ines")
    assert store.load(1).model == before


def test_a_deleted_model_is_gone_and_its_id_is_not_used_again(store, demo_model):
    store.delete(1)
    with pytest.raises(UnknownName):
        store.load(1)
    assert store.create(demo_model) == 2


def with_a_drop(model):
    """The demo with a named change in Worst, and a case that forks from it and drops that."""
    worst = model.case("worst")
    named = replace(worst.changes[0], name="first_blow")
    cases = (
        *(replace(c, steps=(named, *c.steps[1:])) if c is worst else c for c in model.cases),
        Case("milder", "Milder", "worst", drops=("first_blow",)),
    )
    return replace(model, cases=cases)


def test_a_dropped_change_stays_dropped_when_it_is_edited_and_is_forgotten_when_it_goes(nothing_stored, demo_model):
    store = nothing_stored
    model = with_a_drop(demo_model)
    store.create(model)
    assert store.load(1).model == model
    line = model.case("worst").changes[0].line
    assert line not in {change.line for change in store.load(1).model.changes_of("milder") if change.name}
    store.edit(1, "Ines", store.revision(1), edits.back_to_parent("worst", [edits.CellsBack(line)], "back"))
    after = store.load(1).model
    assert after.case("milder").drops == ()
    assert after.changes_of("milder") == after.changes_of("worst")
    store.undo(1, "Ines")
    assert store.load(1).model == model


def test_flags_and_absent_combinations_are_stored(nothing_stored, demo_model):
    store = nothing_stored
    flags = (Flag("in_season", "In season", MAR27, None, (6, 7), True, "harvest"),)
    kits = next(one for one in demo_model.lines if one.dimensions == ("region",) and not one.is_assumption)
    lines = tuple(replace(one, absent=(("Upland",),)) if one is kits else one for one in demo_model.lines)
    model = replace(demo_model, flags=(*demo_model.flags, *flags), lines=lines)
    store.create(model)
    assert store.load(1).model == model
