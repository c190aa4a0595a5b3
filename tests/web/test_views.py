"""Views without HTTP: what a page says, from a snapshot and an address."""

from dataclasses import replace

import pytest
from werkzeug.datastructures import MultiDict

from tests.kit.demo_figures import WORST_BACK, WORST_LOWEST, WORST_MONTHS, WORST_SHORT, WORST_UNDER
from tests.kit.desk import demo_application, demo_model, demo_workspace
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Operation
from widefork.core.finance.statements import Statement
from widefork.store import edits
from widefork.web.pages.compare import view as compare_view
from widefork.web.pages.drivers.sheet import view as drivers_view
from widefork.web.pages.drivers.sheet.cells import Asked
from widefork.web.pages.lookout import view as lookout_view
from widefork.web.pages.statements import view as statements_view
from widefork.web.pages.statements.asides import Asked as Asides
from widefork.web.shared.address import read_address
from widefork.web.shared.context import View
from widefork.web.shared.frame import build_frame
from widefork.web.shared.workspace import SNAPSHOTS_KEPT


@pytest.fixture(scope="module")
def workspace(tmp_path_factory):
    return demo_workspace(tmp_path_factory.mktemp("views"))


def view_of(workspace, page="drivers", before=None, **query):
    snapshot = workspace.now(1)
    address = read_address(MultiDict({k.rstrip("_"): v for k, v in query.items()}), 1, page, snapshot.stored.model)
    return View(snapshot=snapshot, before=before, address=address)


def compared(workspace, view, asked):
    """The page of comparison, which asks the application for seals and other models."""
    app = demo_application()
    app.extensions["workspace"] = workspace
    with app.app_context():
        return compare_view.build(view, asked)


def sheet_of(view, *opened):
    """The whole sheet, all its sections filled."""
    everything = frozenset(section.name for section in view.snapshot.model.sections)
    return drivers_view.build(view, Asked(opened=frozenset(opened), shown=everything))


def row(sheet, row_id):
    return next(r for section in sheet.sections for r in section.rows if r.id == row_id)


def test_the_frame_orders_tines_by_value_and_marks_the_active_one(workspace):
    frame = build_frame(workspace.now(1), None, view_of(workspace, case="worst").address)
    assert [tip.name for tip in frame.tips] == ["base", "best", "worst_met", "worst"]
    assert [tip.is_active for tip in frame.tips] == [False, False, False, True]
    assert frame.watched[0].label == f"Lowest cash, {WORST_LOWEST}"
    assert frame.watched[0].aside.endswith("to Base")
    assert frame.watched[0].before == ""


def test_of_many_cases_five_have_a_tine_the_active_one_and_those_it_forks_from_among_them(workspace):
    snapshot = workspace.now(1)
    names = [f"f{n}" for n in range(8)]
    forks = tuple(Case(name, f"Fork {name}", "worst" if n == 0 else names[n - 1]) for n, name in enumerate(names))
    model = replace(snapshot.stored.model, cases=(*snapshot.stored.model.cases, *forks))
    model_id = workspace.store.create(replace(model, name="Many"))
    for active, shown in (
        ("f7", {"f7", "f6", "f5", "f4", "base"}), ("best", {"base", "best", "worst", "worst_met", "f0"}),
        ("f0", {"base", "best", "worst", "worst_met", "f0"}),
    ):  # fmt: skip
        address = read_address(MultiDict({"case": active}), model_id, "drivers", model)
        frame = build_frame(workspace.now(model_id), None, address)
        assert {tip.name for tip in frame.tips} == shown, active
        assert len(frame.more) == 12 - 5
        assert [tip.is_active for tip in frame.tips].count(True) == 1
        assert frame.fork_height < 240


def test_a_pinned_case_keeps_its_tine_among_many(workspace):
    snapshot = workspace.now(1)
    forks = tuple(Case(f"p{n}", f"Pin {n}", "base", is_pinned=n == 8) for n in range(9))
    model = replace(snapshot.stored.model, cases=(*snapshot.stored.model.cases, *forks), name="Pinned")
    model_id = workspace.store.create(model)
    address = read_address(MultiDict({"case": "best"}), model_id, "drivers", model)
    assert "p8" in {tip.name for tip in build_frame(workspace.now(model_id), None, address).tips}


def test_in_the_root_case_the_watch_strip_names_another_case(workspace):
    frame = build_frame(workspace.now(1), None, view_of(workspace).address)
    assert frame.watched[0].aside.startswith("Worst −")


def test_the_lens_spans_the_range_shown(workspace):
    lens = build_frame(workspace.now(1), None, view_of(workspace, from_="2026-01", to="2028-12").address).lens
    assert (lens.from_x, lens.to_x) == (24, 564)
    assert lens.boundary_x == 24 + 6 * 15
    assert [month.year for month in lens.months if month.year] == ["FY26", "FY27", "FY28"]


def test_the_sheet_marks_the_boundary_and_folds_schedules(workspace):
    sheet = sheet_of(view_of(workspace))
    assert [c.is_edge for c in sheet.columns].index(True) == 3
    term_loan = next(s for s in sheet.sections if s.name == "term_loan")
    assert [r.label for r in term_loan.rows] == [
        "Rate a year",
        "Further parts drawn",
        "Repaid early",
        "Principal put off",
    ]
    assert term_loan.folded == 7
    opened = sheet_of(view_of(workspace), "term_loan", "kit_price")
    assert next(s for s in opened.sections if s.name == "term_loan").folded == 0
    assert [row(opened, f"kit_price-{i}").label for i in range(3)] == ["Coast", "Valley", "Upland"]


def test_only_plan_months_of_what_may_change_are_editable(workspace):
    base = sheet_of(view_of(workspace))
    assert [c.is_editable for c in row(base, "rent").cells] == [False] * 3 + [True] * 12
    assert not any(c.is_editable for c in row(base, "panels_done").cells)
    worst = sheet_of(view_of(workspace, case="worst"))
    assert row(worst, "panels_done").cells[-1].is_editable
    assert not row(worst, "diary_free").cells[-1].is_editable
    years = sheet_of(view_of(workspace, by="year"))
    assert not any(c.is_editable for c in row(years, "rent").cells)


def test_a_case_shows_what_differs_from_the_root(workspace):
    sheet = sheet_of(view_of(workspace, case="worst"))
    wanted = row(sheet, "panels_wanted").cells
    assert [c.differs for c in wanted] == [False] * 6 + [True] * 9
    assert wanted[6].root == "120"
    assert not any(c.differs for c in row(sheet, "rent").cells)


def test_after_an_edit_every_view_shows_before_and_after(workspace):
    before = workspace.now(1)
    change = Change("rent", Operation.ADD, 1000, (), Month(2027, 1))
    workspace.store.edit(1, "Ines", before.revision, edits.change_months("base", change, "rent up"))
    view = view_of(workspace, before=before, from_="2026-12", to="2027-02")
    rent = row(sheet_of(view), "rent")
    assert [(c.text, c.before, c.moved) for c in rent.cells] == [
        ("9,200", "", ""), ("10,200", "9,200", "+1,000"), ("10,200", "9,200", "+1,000"),
    ]  # fmt: skip
    assert rent.was_edited
    frame = build_frame(view.snapshot, before, view.address)
    ebitda = next(w for w in frame.watched if w.name == "ebitda_2027")
    assert ebitda.moved == "−12,000"
    assert ebitda.before
    assert next(w for w in frame.watched if w.name == "revenue_2027").moved == "no change"
    premises = next(r for r in statements_view.build(view, Statement.INCOME, Asides()).rows if r.label == "Premises")
    assert premises.cells[1].moved == "+1,000"
    years = dict(lookout_view.build(view).groups)["EBITDA"]
    assert years[0].cells[1].before
    assert workspace.at(1, before.revision) is before
    workspace.store.undo(1, "Ines")


@pytest.mark.parametrize("statement", [Statement.INCOME, Statement.CASH_FLOW, Statement.BALANCE])
def test_statements_tie_and_end_in_their_fiscal_years(workspace, statement):
    sheet = statements_view.build(view_of(workspace, case="worst", from_="2026-11", to="2027-02"), statement, Asides())
    assert sheet.ties
    assert [c.label for c in sheet.columns] == ["Nov 26", "Dec 26", "Jan 27", "Feb 27", "FY26", "FY27"]
    assert sheet.short_label == f"short by {WORST_SHORT} in {WORST_LOWEST}"
    assert dict(sheet.rooms)["base"].startswith("clear by")


def test_a_year_is_not_shown_twice(workspace):
    sheet = statements_view.build(view_of(workspace, by="year"), Statement.INCOME, Asides())
    assert [c.label for c in sheet.columns] == ["FY26", "FY27", "FY28"]
    assert sheet.chart is None


def test_the_lookout_says_the_waterline_in_words(workspace):
    cards = {card.name: card for card in lookout_view.build(view_of(workspace, page="lookout")).cards}
    assert cards["worst"].sentence == (
        f"Under the waterline from {WORST_UNDER} for {WORST_MONTHS} months, short by {WORST_SHORT} in {WORST_LOWEST}; "
        f"above again from {WORST_BACK}."
    )
    assert cards["base"].sentence.startswith("Always above the waterline")
    assert lookout_view.waterline_words(None, "EUR").startswith("Cash cannot be computed")


def test_compare_takes_differences_to_any_case_and_only_the_figures_chosen(workspace):
    asked = MultiDict([("figure", "lowest_cash"), ("against", "worst"), ("mode", "apart")])
    shown = compared(workspace, view_of(workspace, page="compare"), asked)
    assert [each.case for each in shown.sides.compared] == ["worst", "base", "best", "worst_met"]
    assert [row.name for row in shown.table.rows] == ["lowest_cash"]
    assert shown.table.rows[0].cells[1].text.startswith("Apr 27: +")
    asked = MultiDict([("figure", "nothing"), ("against", "nobody")])
    everything = compared(workspace, view_of(workspace, page="compare"), asked)
    assert len(everything.table.rows) == 11
    assert everything.sides.yardstick.case == "base"


def test_only_the_latest_snapshots_are_kept(workspace):
    first = workspace.now(1).revision
    for amount in range(SNAPSHOTS_KEPT + 1):
        change = Change("software", Operation.SET, 3000.0 + amount, (), Month(2027, 1))
        workspace.store.edit(1, "Ines", workspace.store.revision(1), edits.change_months("base", change, "software"))
        workspace.now(1)
    assert workspace.at(1, first) is None
    assert workspace.at(1, workspace.store.revision(1)) is not None


def test_the_lookout_lists_all_cases_sorted_and_weighted(workspace):
    weights = {"base": 0.5, "best": 0.2, "worst": 0.3}
    demo = demo_model()
    more = tuple(Case(f"w{n}", f"Fork {n}", "worst") for n in range(8))
    cases = [replace(case, weight=weights.get(case.name)) for case in demo.cases]
    model = replace(demo, cases=(*cases, *more), name="Weighted")
    model_id = workspace.store.create(model)
    address = read_address(MultiDict({"case": "worst"}), model_id, "lookout", model)
    view = View(snapshot=workspace.now(model_id), before=None, address=address)
    found = lookout_view.build(view)
    assert [row.label for row in found.overview.rows][:3] == ["Base", "Best", "Met early"]
    assert len(found.overview.rows) == 12
    assert found.chart_words == "5 of 12 cases over the whole plan"
    assert len(found.chart.tines) == len(found.cards) == 5
    # 0.5 × 307,508 + 0.2 × 188,298 − 0.3 × 257,305
    assert found.overview.weighted[0] == "115,834"
    assert found.overview.weighted_words.startswith("Weighted: 115,834, between −257,305 and 307,508")
    by_month = lookout_view.build(view, "first_profit").overview
    assert [label for label, _, is_on in by_month.columns if is_on] == ["First month in profit"]
    assert by_month.weighted_words == "Months are not averaged, so there is no weighted month."
    table = compared(workspace, view, MultiDict()).table
    assert table.has_weights
    assert next(row.weighted for row in table.rows if row.name == "lowest_cash") == "115,834"
