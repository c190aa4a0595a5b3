"""Cases: the tree, what differs and the steps; every form of the page, by HTTP and once in the browser."""

import io
import re

import pytest
from playwright.sync_api import expect

from tests.kit.desk import HTMX, done, refused
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Operation, Switch
from widefork.demo import demo_text
from widefork.store import edits


@pytest.fixture
def client(client):
    return client.begin("cases", message_at="strip")


def make(client, apply, person="Okan"):
    client.store.edit(1, person, client.revision(), apply)


def rows(page, table):
    body = page[page.index(f'id="{table}"') :]
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", body[: body.index("</table>")]))


def at(client, case, line):
    """The place of a case's step on a line among all its steps, as the strip's form sends it."""
    stack = client.model().family.layers_of(case)
    return str(next(n for n, layer in enumerate(stack) if layer.move is None and layer.step.line == line))


def test_the_tree_stands_in_the_order_of_its_tips(client):
    page = client.read("?case=worst")
    names = re.findall(r'id="tip-(\w+)"', page)
    lowest = dict(zip(names, re.findall(r'<td class="figure">.*?>([−\d,]+)</a>', page), strict=True))
    assert names == ["base", "best", "worst", "worst_met"]
    assert lowest["worst"] == "−257,305"
    assert "8 </td>" in page or ">8</td>" in page  # changes of Worst
    assert "6, 1 dropped" in page  # moves of Met early


def test_what_differs_says_what_is_own_inherited_dropped_and_given(client):
    table = rows(client.read(), "differs")
    assert "Reagents and bottles EUR/kit flat 13.60 × 1.08 from Oct 26 × 1.08 from Oct 26 from Worst" in table
    assert "dropped here +20" in table
    assert "Hiring freeze" in table


def test_what_does_nothing_is_named_with_its_reason_and_can_be_listed(client):
    price = Change("kit_price", Operation.SCALE, 1.0, first=Month(2027, 1))
    make(client, edits.copy_steps((price,), ("best",), "nothing"))
    page = client.read()
    assert "1 does nothing" in page
    assert "already has these values in these months" in page
    only = client.read("?only=idle")
    assert "1 line, 0 moves" in only
    assert "does nothing" in only


def test_filters_by_section_case_and_person(client):
    make(client, edits.copy_steps((Change("rent", Operation.ADD, 100.0),), ("best",), "rent"), "Maro")
    assert "1 line, 0 moves" in client.read("?who=Maro")
    assert "Rent" in rows(client.read("?of=best"), "differs")
    assert "Hiring freeze" not in rows(client.read("?of=best"), "differs")
    assert "0 lines, 8 moves" in client.read("?section=Moves")
    assert "Nothing matches" in client.read("?section=Nowhere")


def test_a_walk_of_the_active_case_ends_where_its_tip_stands(client):
    table = rows(client.read("?case=worst"), "steps")
    assert "Base gives 307,508" in table
    assert re.search(r"Hiring freeze .*−257,305 \+92,006", table)
    met = rows(client.read("?case=worst_met"), "steps")
    assert "dropped here" in met
    assert "own steps, in this order" in met


def test_a_case_is_forked_renamed_weighed_and_found_in_the_fork(client):
    reply = done(client.send("fork", case="worst", label="Late grant", note="a year later"))
    assert "case=late_grant" in reply.location
    assert client.model().case("late_grant") == Case("late_grant", "Late grant", "worst", note="a year later")
    done(client.send("case", case="late_grant", label="Later grant", note="", weight="20", pinned="yes"))
    found = client.model().case("late_grant")
    assert (found.label, found.weight, found.is_pinned) == ("Later grant", 0.2, True)
    assert "Weights add to 20 %" in client.read()


def test_weights_that_add_up_give_a_figure_and_its_spread(client):
    for case, weight in (("base", "50"), ("best", "20"), ("worst", "30 %")):
        label = client.model().case(case).label
        done(client.send("case", case=case, label=label, note="", weight=weight))
    # 0.5 × 307,508 + 0.2 × 188,298 − 0.3 × 257,305
    assert "Weighted: 115,834, between −257,305 and 307,508 in the 3 futures." in client.read()
    assert "Months are not averaged" in client.read("?figure=first_profit")


def test_cases_are_ordered_laid_aside_brought_back_and_removed(client):
    done(client.send("place", case="worst", do="up"))
    assert [case.name for case in client.model().cases] == ["base", "worst", "best", "worst_met"]
    done(client.send("place", case="worst", do="archive"))
    page = client.read()
    assert "laid aside, 2" in page
    assert 'id="tip-worst"' not in page
    done(client.send("place", case="worst_met", do="back"))
    assert 'id="tip-worst_met"' in client.read()
    refused(client.send("place", case="worst", do="remove"), "Met early forks from Worst")
    done(client.send("place", case="worst_met", do="remove"))
    assert "worst_met" not in client.model().case_by_name


def test_another_parent_is_tried_before_it_is_taken(client):
    page = client.read("?case=worst_met&under=best")
    assert "Met early under Best, its own steps on top" in page
    assert "430,994" in page  # its lowest cash there
    assert "drop 7 of what Best does" in page
    before = cash(client, "worst_met")
    reply = done(
        client.send("under", case="worst_met", parent="best", keeps="yes", back="/m/1/cases?under=best&about=yes")
    )
    assert "under=" not in reply.location
    assert client.model().case("worst_met").parent == "best"
    assert cash(client, "worst_met") == before
    refused(client.send("under", case="best", parent="worst_met"), "Met early forks from Best")


def cash(client, case):
    results = evaluate_cases(client.plan(), [case], ["cash_after_overdraft"])
    return results.series("cash_after_overdraft", ()).tolist()


def test_adopting_says_what_it_does_and_keeps_the_others(client):
    page = client.read("?case=worst&under=adopt")
    assert "Base takes 9 steps; Worst then has none of its own. Best drops them and keeps its numbers." in page
    before = {case: cash(client, case) for case in ("best", "worst", "worst_met")}
    done(client.send("adopt", case="worst"))
    assert {case: cash(client, case) for case in before} == before
    assert cash(client, "base") == before["worst"]
    refused(client.send("adopt", case="base"), "Base is the root already")


def test_a_step_is_added_changed_and_taken_out_in_place(client):
    form = {
        "case": "worst",
        "line": "rent",
        "operation": "add",
        "amount": "250",
        "first": "2027-01",
        "note": "new lease",
    }
    done(client.send("step", at="", **form))
    rent = Change("rent", Operation.ADD, 250.0, first=Month(2027, 1), note="new lease")
    assert client.model().case("worst").steps[-1] == rent
    place = at(client, "worst", "rent")
    done(client.send("step", at=place, **{**form, "operation": "scale", "amount": "110 %", "last": "2027-06"}))
    changed = Change("rent", Operation.SCALE, 1.1, first=Month(2027, 1), last=Month(2027, 6), note="new lease")
    assert client.model().case("worst").steps[-1] == changed
    done(client.send("step", at=place, do="remove", **form))
    assert all(change.line != "rent" for change in client.model().case("worst").changes)


def test_a_step_keeps_its_months_while_only_its_reason_changes(client):
    was = client.model().case("worst").changes[0]
    assert was.course is not None
    form = {"line": was.line, "operation": "scale", "amount": "", "first": str(was.first), "note": "drier still"}
    done(client.send("step", case="worst", at=at(client, "worst", was.line), **form))
    now = client.model().case("worst").changes[0]
    assert (now.course, now.note) == (was.course, "drier still")


def test_members_and_what_is_put_off_are_said_in_the_strip(client):
    form = {"case": "best", "line": "kit_price", "operation": "set", "amount": "51"}
    done(client.send("step", at="", members="region/Coast", **form))
    assert client.model().case("best").steps[-1].members == (("region", "Coast"),)
    form = {"case": "best", "line": "kits_ordered", "operation": "defer", "amount": "40", "first": "2027-01"}
    done(client.send("step", at="", last="2027-03", catch_up="6", **form))
    found = client.model().case("best").steps[-1]
    assert (found.amount, found.catch_up_months) == (0.4, 6)


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"amount": ""}, "Expected an amount, got nothing"),
        ({"amount": "lots"}, "Expected a number, got “lots”"),
        ({"first": "2027-06", "last": "2027-01"}, "Jan 27 lies before Jun 27"),
        ({"first": "soon"}, "Expected the first month like 2027-04; got “soon”"),
        ({"last": "2026-02"}, "Actual months are history"),
        ({"members": "region/Moon"}, "Moon"),
        ({"members": "moon/Coast"}, "moon"),
        ({"operation": "defer", "amount": "30", "last": "2027-03"}, "Expected over how many months"),
        ({"operation": "delay", "amount": "1.5"}, "A delay is a whole number of months"),
        ({"operation": "sing"}, "Expected what to do to be one of"),
        ({"at": "99"}, "That step is no longer there"),
    ],
)  # fmt: skip
def test_a_step_that_cannot_be_is_refused_at_the_strip(client, form, words):
    before = client.model()
    usual = {"case": "worst", "line": "kit_price", "operation": "set", "amount": "50", "at": ""}
    reply = client.send("step", **{**usual, **form})
    assert reply.status_code in (404, 422)
    assert words in reply.text.replace("&#39;", "'")
    assert client.model() == before


def test_an_inherited_step_is_dropped_and_put_back(client):
    done(client.send("drop", case="worst_met", at=at(client, "worst_met", "kit_materials_price")))
    [drop] = set(client.model().case("worst_met").drops) - {"municipal_late"}
    assert "dropped here" in client.read("?case=worst_met&open=worst_met/kit_materials_price")
    done(client.send("back", case="worst_met", drop=drop))
    assert client.model().case("worst_met").drops == ("municipal_late",)


def test_delete_on_a_cell_takes_out_own_steps_and_drops_inherited_ones(client):
    done(client.send("clear", case="worst", key="panels_wanted"))
    assert all(change.line != "panels_wanted" for change in client.model().case("worst").changes)
    done(client.send("clear", case="worst_met", key="move:hiring_freeze"))
    assert "hiring_freeze" in client.model().case("worst_met").drops
    refused(client.send("clear", case="best", key="rent"), "nothing to take out")


def test_a_move_is_switched_on_from_another_month_and_at_a_strength(client):
    done(client.send("switch", case="best", move="price_rise", do="on", start="2027-04", strength="50"))
    assert client.model().case("best").switches[-1] == Switch("price_rise", Month(2027, 4), 0.5)
    done(client.send("switch", case="best", move="price_rise", do="on", start="2027-05", strength="100"))
    assert client.model().case("best").switches[-1] == Switch("price_rise", Month(2027, 5))
    done(client.send("switch", case="best", move="price_rise", do="off"))
    assert all(switch.move != "price_rise" for switch in client.model().case("best").switches)
    words = "between 0 and 150 %"
    refused(client.send("switch", case="best", move="price_rise", do="on", start="", strength="180"), words)


def test_ticked_steps_are_ordered_copied_and_made_a_move(client):
    own = client.model().case("worst").steps
    done(client.send("steps", case="worst", do="later 0"))
    assert client.model().case("worst").steps[:2] == (own[1], own[0])
    done(client.send("steps", case="worst", do="copy", step="1", to="best"))
    assert client.model().case("best").steps[-1] == own[0]
    done(client.send("steps", case="worst", do="copy", key="kit_materials_price", to="best"))
    assert client.model().case("best").steps[-1].line == "kit_materials_price"
    done(client.send("steps", case="worst", do="bundle", step="2", label="Bad luck"))
    assert client.model().move_by_name["bad_luck"].changes == (own[2],)
    refused(client.send("steps", case="worst", do="copy", to="best"), "Tick the steps first")
    refused(client.send("steps", case="worst", do="copy", step="1"), "Tick the cases to copy to")
    refused(client.send("steps", case="worst", do="bundle", step="1", label=""), "A name has 1 to 40 letters")
    refused(client.send("steps", case="best", do="copy", key="rent", to="worst"), "itself does nothing there")


def test_under_a_sketch_a_new_step_is_tried_and_the_rest_waits(client):
    client.set_cookie("person", "Ines")
    client.post("/m/1/sketch/start", data={"case": "worst", "back": "/m/1/cases"}, headers=HTMX)
    before = client.model()
    done(client.send("step", case="worst", at="", line="rent", operation="add", amount="250"))
    assert client.model() == before
    assert "tried in the sketch" in client.read("?case=worst")
    refused(client.send("place", case="worst", do="up"), "Keep or drop the sketch first")


def test_a_model_with_one_case_says_how_to_begin(client):
    for case in ("worst_met", "worst", "best"):
        done(client.send("place", case=case, do="remove"))
    page = client.read()
    assert "There is one case so far. Fork another from Base above" in page
    assert "No steps: it is what Base is." in page


def test_forty_cases_and_no_figure_are_shown(client):
    for number in range(40):
        parent = "worst" if number % 3 else "base"
        step = Change("rent", Operation.ADD, float(number))
        make(client, edits.add_case(Case(f"c{number}", f"Case {number}", parent, (step,) * (number % 12 + 1)), "more"))
    for figure in client.model().figures:
        make(client, edits.remove_figure(figure.name, "less"))
    page = client.read("?case=c7")
    assert page.count('id="tip-') == 44
    assert "more</text>" in page
    assert "39 more" in page


def test_many_cases_are_searched_by_name(client):
    for number in range(5):
        made = Case(f"c{number}", f"Dry year {number}", "best" if number % 2 else "base")
        make(client, edits.add_case(made, made.label))
    assert 'name="named"' in client.read()
    page = client.read("?named=dry year 3&case=worst")
    shown = re.findall(r'id="tip-(\w+)"', page)
    assert sorted(shown) == ["base", "best", "c3", "worst"]  # what it forks from, and the active one
    assert "4 of 9 cases, with what they fork from" in page


def test_moves_say_where_they_are_on_and_what_they_do(client):
    table = rows(client.read("?view=moves&case=worst_met"), "moves")
    # what each does given the others is the case less the case without it
    assert "Hiring freeze Ines, idea, 1 change; Nobody who leaves is replaced for a year" in table
    before = min(cash(client, "worst_met"))
    page = client.read("?view=moves&case=worst_met")
    body = page[page.index('id="move-short_bridge"') :]
    text = re.search(r'class="effect-text on">([+−][\d,]+)<', body)[1]
    done(client.send("switch", case="worst_met", move="short_bridge", do="off"))
    moved = before - min(cash(client, "worst_met"))
    assert text == f"+{moved:,.0f}"
    row = client.read("?view=moves&case=worst_met")
    row = row[row.index('id="move-hiring_freeze"') :]
    assert re.findall(r'<td class="bead-cell case-\w+ (\w+)', row)[:4] == ["off", "off", "on", "inherited"]


def test_pressing_a_bead_drops_an_inherited_move_and_puts_it_back(client):
    done(client.send("switch", case="worst_met", move="hiring_freeze", do="off"))
    assert "hiring_freeze" in client.model().case("worst_met").drops
    assert "dropped in Met early; press to put it back" in client.read("?view=moves")
    done(client.send("switch", case="worst_met", move="hiring_freeze", do="on"))
    assert client.model() == client.workspace.now(1).stored.model
    assert "hiring_freeze" not in client.model().case("worst_met").drops
    assert all(switch.move != "hiring_freeze" for switch in client.model().case("worst_met").switches)


def upload(client, text, name="other.yaml"):
    form = {"file": (io.BytesIO(text.encode()), name), "message_at": "merge"}
    return client.post("/m/1/cases/merge", data=form, headers=HTMX, content_type="multipart/form-data")


def test_a_case_is_merged_from_a_file_once_one_has_seen_what_fits(client):
    text = demo_text("quillmere").replace("kit_materials_price", "kit_materials_cost")
    preview = upload(client, text).text
    assert "13 steps fit" in preview
    assert "kit_materials_cost: there is no line kit_materials_cost here" in preview
    assert client.revision() == 0
    reply = done(client.send("merge", name="worst_met", document=text))
    assert "case=worst_met_2" in reply.location
    found = client.model().case("worst_met_2")
    assert (found.label, found.parent) == ("Met early 2", "worst")
    done(client.send("merge", name="worst_met", document=demo_text("quillmere")))
    assert cash(client, "worst_met_3") == cash(client, "worst_met")
    client.store.undo(1, "Guest")
    assert "worst_met_3" not in client.model().case_by_name


@pytest.mark.parametrize(
    ("text", "name", "words"),
    [
        ("a: 1", "other.txt", "A model file ends in"),
        ("a: 1", "other.yaml", "wide_fork"),
        ("", "", "Choose a model file first"),
    ],
)
def test_a_file_that_is_no_model_is_refused_where_it_was_chosen(client, text, name, words):
    reply = upload(client, text, name)
    assert reply.status_code == 422
    assert words in reply.text
    assert reply.headers["HX-Retarget"] == "#merge-message"


def test_a_tree_is_read_changed_and_adopted_in_the_browser(page, address):
    page.goto(f"{address}/m/1/cases?case=worst")
    page.get_by_text("fork from Worst").click()
    page.get_by_label("Name of the new case").fill("Late grant")
    page.get_by_role("button", name="Fork", exact=True).click()
    expect(page.locator("#tip-late_grant")).to_contain_text("from Worst")
    page.goto(f"{address}/m/1/cases?case=worst")
    page.get_by_role("checkbox", name="Kit customers: days until customers pay +20").check()
    page.locator("#step-7 input").check()
    page.get_by_text("copy to cases").click()
    page.locator("#copy-menu").get_by_label("Best").check()
    page.get_by_role("button", name="Copy", exact=True).click()
    expect(page.locator("#latest-sentence")).to_contain_text("2 steps of Worst copied to Best")
    cell = page.locator('[data-cell="late_grant/kit_materials_price"] a')
    cell.focus()
    page.keyboard.press("Delete")
    expect(page.locator('[data-cell="late_grant/kit_materials_price"]')).to_contain_text("dropped here")
    page.keyboard.press("ArrowUp")
    expect(page.locator('[data-cell="late_grant/kits_ordered"] a')).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator("#strip")).to_contain_text("Late grant changes Kits ordered")
    page.get_by_role("button", name="Drop here").click()
    expect(page.locator('[data-cell="late_grant/kits_ordered"]')).to_contain_text("dropped here")
    page.locator("#tip-late_grant a.case-name").click()
    expect(page.locator("#case-button")).to_contain_text("Late grant")
    page.locator("#about-link").click()
    page.get_by_text("let Base adopt Late grant").click()
    expect(page.locator("#adopt-preview")).to_contain_text("Base takes 7 steps")
    met = page.locator("#tip-worst_met .figure").inner_text()
    page.get_by_role("button", name="Adopt it").click()
    expect(page.locator("#latest-sentence")).to_contain_text("Base adopts Late grant")
    expect(page.locator("#tip-worst_met .figure")).to_have_text(met)
    page.keyboard.press("Control+z")
    expect(page.locator("#latest-sentence")).to_contain_text("took back")


def test_beads_are_gone_through_and_pressed_by_key(page, address):
    page.goto(f"{address}/m/1/cases?view=moves&case=worst")
    page.locator("#bead-second_lab-worst").focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator("#bead-hiring_freeze-worst")).to_be_focused()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#bead-hiring_freeze-worst_met")).to_be_focused()
    page.keyboard.press("Space")
    expect(page.locator("#latest-sentence")).to_contain_text("Hiring freeze: off in Met early")
    expect(page.locator("#bead-hiring_freeze-worst_met")).to_contain_text("dropped")
