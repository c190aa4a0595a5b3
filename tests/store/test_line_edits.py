"""Edits of lines, sections and the frame: nothing is lost silently, and every one of them can be undone."""

from dataclasses import replace

import numpy as np
import pytest

from widefork.core.analysis.compare import evaluate_cases
from widefork.core.axes import Month, Timeline
from widefork.core.changes import Change, Move, Operation
from widefork.core.closing import Closing
from widefork.core.engine import evaluate
from widefork.core.errors import ChangeRefused, InvalidModel, UnknownName, WideforkError
from widefork.core.figures import Figure
from widefork.core.finance.assemble import build_plan
from widefork.core.flags import Flag
from widefork.core.graph.model import Limit
from widefork.core.lines import Line
from widefork.core.liquidity import DayRule
from widefork.core.look import Look, PlausibleRange, Scale, Tint
from widefork.core.rules import RULES, read_rule
from widefork.core.spreads import Correlation, Shape, SpreadSetting
from widefork.store import edits
from widefork.store.errors import UndoRefused
from widefork.store.saving import look_document, range_document

JAN27 = Month(2027, 1)


def make(store, apply, person="Ines"):
    store.edit(1, person, store.revision(1), apply)
    return store.load(1).model


def a_line(name="courses", **more):
    return Line(name, "Courses held", "courses", "kits", rules={(): read_rule(RULES, 4)}, **more)


def first_section(store):
    return store.load(1).model.sections[0].name


FRESH = Timeline(Month(2026, 1), 60, 7, Month(2026, 8))
JULY = Closing(
    Month(2026, 7),
    {"kit_customers_balance": 91000.0, "cash": 31000.0, "revenue": 150000.0},
    {"kit_customers": (9000.0, 82000.0)},
    {"revenue": "a wet July"},
)
EVERY_EDIT = {
    "a new line": lambda: edits.add_line(a_line(), "new", "kit_price"),
    "a copy": lambda: edits.duplicate_line("kit_price", "kit_price_2", "Kit price, copy", "copied"),
    "another name": lambda: edits.rename_line("kit_price", "price_of_kits", "renamed"),
    "another place": lambda: edits.move_line("kit_price", -1, "up"),
    "other words": lambda: edits.change_line("rent", "words", label="Rooms", note="the lease",
                                             look=look_document(Look(0, Scale.THOUSANDS, tint=Tint.SAND)),
                                             plausible=range_document(PlausibleRange(-0.1, 0.0, 0.2, True))),
    "another section": lambda: edits.change_line("rent", "moved", section="kits"),
    "a formula": lambda: edits.make_calculated("software", "200 * 12", "calculated"),
    "another rule": lambda: edits.set_rule("rent", (), read_rule(RULES, 9000), "flat"),
    "actuals": lambda: edits.set_actuals("rent", (), {Month(2026, 3): 9100.0}, "corrected"),
    "a new section": lambda: edits.add_section("courses", "Courses", "", "new"),
    "a section up": lambda: edits.move_section("kits", 1, "down"),
    "a section's name": lambda: edits.change_section("kits", "named", label="Kits"),
    "other months": lambda: edits.change_timeline(FRESH, "longer"),
    "another model name": lambda: edits.change_model("named", name="Quillmere"),
    "a new dimension": lambda: edits.add_dimension("site", "Site", ("North", "South"), "new"),
    "another dimension name": lambda: edits.change_dimension("region", "named", "area", "Area"),
    "a new member": lambda: edits.add_member("region", "Delta", "new"),
    "another member name": lambda: edits.change_member("region", "Coast", "named", new_name="Sea side"),
    "attributes": lambda: edits.change_member("region", "Coast", "known", attributes={"opened": "2019", "size": 4.5}),
    "member order": lambda: edits.move_member("region", "Upland", -1, "up"),
    "a member less": lambda: edits.remove_member("equipment", "Van 2", "removed"),
    "a new profile": lambda: edits.add_profile("slow", "Slow", (0.0, 0.5, 1.0), "new"),
    "a curve": lambda: edits.change_profile("analyst_ramp", "changed", amounts=[0.0, 1.0]),
    "a new schedule": lambda: edits.add_schedule(
        "loan", "van_loan", "Van loan", {"amount": 9000, "drawn_in": "2027-01", "rate": 0.05, "term_months": 9}, "new"),
    "other terms": lambda: edits.change_schedule("suppliers", "other", "Vendors", {"days": 45, "new_terms": "new"}),
    "usual terms": lambda: edits.change_schedule("reagents", "usual", settings={"days": None}),
    "a schedule less": lambda: edits.remove_schedule("reagents", "gone"),
    "a schedule down": lambda: edits.move_schedule("kit_customers", 1, "down"),
    "a covenant": lambda: edits.add_limit(Limit("room", "Room", "headroom", 0.0, is_covenant=True), "new"),
    "another covenant": lambda: edits.change_limit(Limit("equity_held", "Equity", "equity_ratio", 0.2), "changed"),
    "a covenant less": lambda: edits.remove_limit("equity_held", "gone"),
    "other rows": lambda: edits.change_model("rows", statements={
        "layout": "by_category", "labels": {"revenue": "Sales"}, "order": ["marketing_costs", "premises_costs"],
        "rows": [{"name": "quality", "label": "Quality", "within": "administration_costs"}]}),
    "a month closed": lambda: edits.close_month(
        JULY, {("rent", ()): 9100.0, ("kit_revenue", ("Coast",)): 7e4}, "closed"),
    "a month's figures again": lambda: edits.close_month(replace(JULY, month=Month(2026, 6)), {}, "closed again"),
    "a month opened again": lambda: edits.reopen_month(Month(2026, 6), "opened"),
    "why a line differed": lambda: edits.set_closing_note(Month(2026, 6), "rent", "5 % for heating", "why"),
    "lines of a schedule made one's own": lambda: edits.detach_schedule("kit_customers", "mine"),
    "a lowest level": lambda: edits.set_lowest_level(read_rule(RULES, 25000), "level"),
    "days of a payment": lambda: edits.set_days("settled_rent", DayRule(3), "on day 3"),
    "money under way": lambda: edits.set_under_way(["kit_customers"], 4, "under way"),
    "ranges of lines of both kinds": lambda: edits.set_ranges(
        {"rent": PlausibleRange(6500, 7000, 7600), "kit_customers_days": PlausibleRange(20, 30, 45)}, "ranges"),
    "how a line is drawn": lambda: edits.set_spread(SpreadSetting("kit_price", Shape.PERT, 0.9), "drawn"),
    "what goes together": lambda: edits.set_correlation(Correlation("kit_price", "kits_ordered", -0.4), "together"),
    "a new flag": lambda: edits.add_flag(Flag("in_season", "In season", None, None, (6, 7)), "new"),
}  # fmt: skip


@pytest.mark.parametrize("name", EVERY_EDIT)
def test_every_edit_changes_the_model_keeps_it_computable_and_is_undone_and_redone(store, name):
    before = store.load(1).model
    try:
        after = make(store, EVERY_EDIT[name]())
    except UnknownName:
        pytest.fail(f"{name}: {[section.name for section in before.sections]}")
    assert after != before
    assert not [problem for problem in build_plan(after).problems.values() if problem.error]
    store.undo(1, "Ines")
    assert store.load(1).model == before
    store.redo(1, "Ines")
    assert store.load(1).model == after


REFUSED = {
    "a name twice": (lambda: edits.add_line(a_line("rent"), "new"), "names are used once"),
    "a section twice": (lambda: edits.add_section("kits", "Kits", "", "new"), "names are used once"),
    "a section called alike": (
        lambda: edits.add_section("kits_2", " well  KITS ", "", "new"), "already a section called Well kits"),
    "a section called like another": (
        lambda: edits.change_section("panels", "x", label="Well kits"), "already a section called"),
    "a figure called alike": (
        lambda: edits.add_figure(Figure("low", "lowest CASH", "cash"), "x"), "already a figure called Lowest cash"),
    "a move called alike": (
        lambda: edits.add_move(Move("again", "second lab", JAN27, ()), "x"), "already a move called Second lab"),
    "a full section": (lambda: edits.remove_section("kits", "gone"), "still holds"),
    "a needed line": (lambda: edits.remove_line("kit_price", "gone"), "is needed by Kit revenue"),
    "a line a schedule works on": (lambda: edits.remove_line("kit_revenue", "gone"), "is needed by"),
    "a schedule cases change": (
        lambda: edits.change_schedule("kit_customers", "x", settings={"of": ["panel_revenue"]}), "settled by"),
    "a schedule twice": (lambda: edits.add_schedule("loan", "term_loan", "L", {}, "x"), "names are used once"),
    "a schedule named like lines": (lambda: edits.add_schedule("grant", "kit", "K", {}, "x"), "begins with"),
    "a needed register": (lambda: edits.remove_dimension("equipment", "gone"), "are spread over"),
    "a limit twice": (lambda: edits.add_limit(Limit("equity_held", "E", "cash", 1.0), "x"), "names are used once"),
    "a needed dimension": (lambda: edits.remove_dimension("region", "gone"), "lines are spread over"),
    "a needed profile": (lambda: edits.remove_profile("analyst_ramp", "gone"), "is used by"),
    "a start with actuals": (
        lambda: edits.change_timeline(Timeline(Month(2025, 1), 48), "earlier"), "has actuals or history"),
    "a rule for a calculated line": (
        lambda: edits.set_rule("kit_revenue", (), read_rule(RULES, 1), "no"), "calculated"),
    "actuals of a plan month": (lambda: edits.set_actuals("rent", (), {JAN27: 1.0}, "no"), "is plan, not history"),
    "a month beyond the next": (
        lambda: edits.close_month(Closing(Month(2026, 9)), {}, "no"), "the next month to close is Jul 26"),
    "an earlier month opened": (lambda: edits.reopen_month(Month(2026, 2), "no"), "Only the last month closed"),
    "the books of nothing": (
        lambda: edits.close_month(Closing(Month(2026, 7), {"kash": 5.0}), {}, "no"), "Did you mean cash"),
    "a register made one's own": (lambda: edits.detach_schedule("lab_assets", "no"), "built asset by asset"),
    "a member twice": (lambda: edits.add_member("region", "Coast", "again"), "names are used once"),
    "an unknown member": (lambda: edits.change_member("region", "Cost", "x", new_name="Y"), "Did you mean Coast"),
}  # fmt: skip


@pytest.mark.parametrize("name", REFUSED)
def test_what_would_break_the_model_is_refused_in_words_and_nothing_changes(store, name):
    apply, said = REFUSED[name]
    before = store.load(1)
    with pytest.raises(WideforkError, match=said):
        make(store, apply())
    assert store.load(1) == before


def test_a_line_made_ones_own_keeps_its_range_and_how_it_is_drawn(store):
    name, plausible = "kit_customers_days", PlausibleRange(20, 30, 45)
    make(store, edits.set_ranges({name: plausible}, "range"))
    make(store, edits.set_spread(SpreadSetting(name, Shape.PERT, 0.9), "drawn"))
    before = make(store, edits.set_correlation(Correlation(name, "rent", 0.3), "together"))
    assert build_plan(before).model.line(name).plausible == plausible
    after = make(store, edits.detach_schedule("kit_customers", "mine"))
    assert (after.line(name).plausible, after.ranges) == (plausible, {})
    assert (after.spreads, after.correlations) == (before.spreads, before.correlations)
    again = make(store, edits.remove_spread(name, "usual"))
    assert again.spreads == ()
    assert make(store, edits.set_correlation(Correlation("rent", name, 0.0), "apart")).correlations == ()
    assert make(store, edits.set_ranges({name: None}, "none")).line(name).plausible is None


BY_REGISTER = ("asset_register", "contracts", "people")


def test_lines_made_ones_own_compute_what_the_schedule_wrote_in_every_case(store):
    before = build_plan(make(store, edits.close_month(JULY, {}, "closed")))
    then = evaluate_cases(before, [case.name for case in before.model.cases])
    names = [given.name for given in before.model.schedules if given.kind not in BY_REGISTER]
    assert len(names) >= 12
    for name in names:
        after = build_plan(make(store, edits.detach_schedule(name, "mine")))
        now = evaluate_cases(after, [case.name for case in after.model.cases])
        assert {line.name for line in before.model.lines} == {line.name for line in after.model.lines}
        for line in before.model.lines:
            same = {"rtol": 1e-9, "atol": 1e-6, "err_msg": f"{line.name} without {name}"}
            np.testing.assert_allclose(now.values(line.name), then.values(line.name), **same)
        assert not [line for line in after.model.lines if line.source is not None and line.source.schedule == name]
        store.undo(1, "Ines")


def test_a_schedule_that_figures_and_formulas_need_stays(store):
    make(store, edits.add_limit(Limit("owed", "Owed", "term_loan_balance", most=2e5), "new"))
    with pytest.raises(InvalidModel, match="is needed by Owed"):
        make(store, edits.remove_schedule("term_loan", "gone"))
    make(store, edits.add_line(Line("tax_share", "Tax", "%", "kits", formula="sales_tax_paid / revenue"), "new"))
    with pytest.raises(InvalidModel, match="is needed by Tax"):
        make(store, edits.remove_schedule("sales_tax", "gone"))


def test_a_new_line_stands_behind_the_one_it_was_added_to(store):
    model = make(store, edits.add_line(a_line(), "new", "kit_price"))
    names = [line.name for line in model.lines]
    assert names[names.index("kit_price") + 1] == "courses"


def test_a_renamed_member_is_followed_by_formulas_rules_and_mappings(store):
    make(store, edits.add_line(Line("sea", "Sea", "EUR", "kits", formula="kit_price at Coast * 2"), "new"))
    make(store, edits.add_dimension("shop", "Shop", ("Pier",), "new"))
    make(store, edits.change_member("shop", "Pier", "in", attributes={"region": "Coast"}))
    model = make(store, edits.change_member("region", "Coast", "named", new_name="North shore"))
    assert model.line("sea").formula == 'kit_price at "North shore" * 2'
    assert ("North shore",) in model.line("kit_price").rules
    assert model.dimension_by_name["shop"].attributes["Pier"]["region"] == "North shore"
    with pytest.raises(InvalidModel, match=r"is named by Sea, Samplers Coast, .*Pier"):
        make(store, edits.remove_member("region", "North shore", "gone"))


def test_a_calculated_line_that_is_given_keeps_its_numbers(store):
    plan = build_plan(store.load(1).model)
    wanted = evaluate(plan, [()], ["panels_wanted"]).series("panels_wanted")
    model = make(store, edits.make_assumption("panels_wanted", {(): wanted.tolist()}, "given"))
    assert model.line("panels_wanted").is_assumption
    again = evaluate(build_plan(model), [()], ["panels_wanted"]).series("panels_wanted")
    assert again.tolist() == wanted.tolist()


def test_many_cells_are_one_edit_and_one_undo(store):
    changes = [Change("rent", Operation.SET, 9000.0 + i, (), JAN27.plus(i), JAN27.plus(i)) for i in range(12)]
    changes.append(Change("kit_price", Operation.ADD, 1.0, (("region", "Coast"),), JAN27, JAN27.plus(3)))
    before = store.load(1).model
    for case in ("base", "best"):
        make(store, edits.change_cells(case, changes, f"pasted in {case}"))
    assert [entry.sentence for entry in store.log(1)] == ["pasted in best", "pasted in base"]
    store.undo(1, "Ines")
    store.undo(1, "Ines")
    assert store.load(1).model == before


def test_typed_over_again_an_earlier_change_of_the_same_cells_goes(store):
    one = Change("rent", Operation.SET, 9000.0, (), JAN27, JAN27.plus(2))
    for amount in (9000.0, 9100.0, 9200.0):
        make(store, edits.change_cells("best", [one.with_amount(amount)], "again"))
    assert [c.amount for c in store.load(1).model.case("best").changes if c.line == "rent"] == [9200.0]


def test_back_to_the_parent_can_be_some_months_of_one_member(store):
    change = Change("kit_price", Operation.SET, 40.0, (), JAN27, JAN27.plus(5))
    make(store, edits.change_cells("best", [change], "cheaper"))
    cells = [edits.CellsBack("kit_price", ("Coast",), JAN27.plus(2), JAN27.plus(3))]
    plan = build_plan(make(store, edits.back_to_parent("best", cells, "back")))
    results = evaluate(plan, [plan.model.changes_of(case) for case in ("base", "best")], ["kit_price"])
    coast = [results.series("kit_price", ("Coast",), place)[12:18] for place in (0, 1)]
    assert coast[1].tolist() == [40.0, 40.0, *coast[0][2:4], 40.0, 40.0]
    assert results.series("kit_price", ("Valley",), 1)[12:18].tolist() == [40.0] * 6


def test_undo_looks_only_at_what_the_edit_changed(store):
    make(store, edits.change_line("rent", "words", note="the lease"))
    make(store, edits.add_line(a_line(), "new", "kit_price"), person="Okan")
    store.undo(1, "Ines")
    assert store.load(1).model.line("rent").note != "the lease"
    make(store, edits.change_line("rent", "words", note="mine"))
    make(store, edits.change_line("rent", "words", note="theirs"), person="Okan")
    with pytest.raises(UndoRefused, match="changed since"):
        store.undo(1, "Ines")


def test_what_was_removed_cannot_come_back_under_a_name_taken_since(store):
    make(store, edits.add_dimension("site", "Site", ("North", "South"), "new"))
    make(store, edits.remove_member("site", "North", "gone"))
    taken = make(store, edits.change_member("site", "South", "named", new_name="North"), person="Okan")
    with pytest.raises(UndoRefused, match="something made since has its name now"):
        store.undo(1, "Ines")
    assert store.load(1).model == taken


def test_a_longer_horizon_and_another_boundary_lose_nothing(store):
    before = store.load(1).model
    shorter = Timeline(before.timeline.start, 14, 1, before.timeline.last_actual)
    make(store, edits.change_timeline(shorter, "shorter"))
    after = make(store, edits.change_timeline(before.timeline, "as it was"))
    assert after == before


def test_a_calculated_line_is_not_typed_over_in_the_root(store):
    change = Change("kit_revenue", Operation.SET, 1.0, (), JAN27)
    with pytest.raises(ChangeRefused):
        make(store, edits.change_cells("base", [change], "no"))
