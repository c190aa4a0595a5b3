"""Moves by case: beads pressed, nudged and typed on, and one move opened: about it, its changes, what it brings."""

import re

import pytest
from playwright.sync_api import expect

from tests.kit.desk import done, refused
from widefork.core.axes import Month
from widefork.core.changes import Aim, Operation, Status, Switch, benefits_of
from widefork.core.engine import evaluate


@pytest.fixture
def client(client):
    return client.begin("cases", message_at="moves")


def move(client, name="price_rise"):
    return client.model().move_by_name[name]


def test_a_bead_takes_what_is_typed_and_nudged(client):
    def stands():
        return next(step for step in client.model().case("worst_met").switches if step.move == "price_rise")

    done(client.send("switch", case="worst_met", move="price_rise", do="set", typed="Feb 27"))
    assert stands() == Switch("price_rise", Month(2027, 2))
    done(client.send("switch", case="worst_met", move="price_rise", do="set", typed="80 %"))
    assert stands() == Switch("price_rise", Month(2027, 2), 0.8)
    done(client.send("switch", case="worst_met", move="price_rise", do="set", typed="125"))
    done(client.send("switch", case="worst_met", move="price_rise", do="set", by="-1"))
    assert stands() == Switch("price_rise", None, 1.25)
    for _ in range(4):
        done(client.send("switch", case="worst_met", move="price_rise", do="set", more="10"))
    assert stands().strength == 1.5
    table = client.read("?view=moves&case=worst_met")
    assert re.search(r"150 %.{0,200}Price rise 6 % in Met early", re.sub(r"<[^>]+>", "", table), re.DOTALL)
    for text, words in (("soon", "such as Feb 27, or a strength such as 80 %"), ("180 %", "between 0 and 150 %")):
        refused(client.send("switch", case="worst_met", move="price_rise", do="set", typed=text), words)
    refused(client.send("switch", case="worst_met", move="price_rise", do="set", by="x"), "whole number of months")


def test_one_of_a_group_is_switched_in_place_of_another(client):
    assert "where Shared sampling crews is on; press to switch this on in its place" in client.read("?view=moves")
    done(client.send("switch", case="worst_met", move="far_fewer_samplers", do="on"))
    on = [layer.move for layer in client.model().layers_of("worst_met")]
    assert "far_fewer_samplers" in on
    assert "shared_crews" not in on


def test_a_new_move_is_opened_given_changes_and_what_it_brings(client):
    reply = done(client.send("moves/new", label="Panel drive", start="2026-10", note="calls"))
    assert "move=panel_drive" in reply.location
    about = {"label": "Panel drive", "note": "calls", "owner": "Maro", "status": "under way", "group": "Sales"}
    done(client.send("moves/about", move="panel_drive", start="2026-10", **about))
    found = move(client, "panel_drive")
    assert (found.owner, found.status, found.group) == ("Maro", Status.UNDER_WAY, "Sales")
    done(client.send("moves/change", move="panel_drive", at="", line="marketing", operation="add", amount="400",
                     first="2026-10", last="2027-03", do="save"))  # fmt: skip
    done(client.send("moves/change", move="panel_drive", at="", line="bridge_loan_later", do="tie"))
    assert [change.operation for change in move(client, "panel_drive").changes] == [Operation.ADD, Operation.WITH_MOVE]
    done(client.send("moves/change", move="panel_drive", at="0", line="marketing", operation="add", amount="500",
                     first="2026-10", last="", do="save"))  # fmt: skip
    assert move(client, "panel_drive").changes[0].amount == 500
    done(client.send("moves/change", move="panel_drive", at="1", line="bridge_loan_later", do="remove"))
    assert len(move(client, "panel_drive").changes) == 1
    page = client.read("?view=moves&move=panel_drive")
    assert "Panel drive: marketing" in page.lower() or "marketing" in page
    assert "calls" in page
    assert "one of Sales" in page


def test_what_it_brings_is_spread_ramped_and_shares_can_be_held(client):
    brings = {"move": "price_rise", "line": "kits_ordered", "per": "year", "first": "2027-01", "ramp": "4"}
    done(client.send("moves/brings", **brings, amount="1200"))
    [found] = [one for one in benefits_of(move(client).changes) if one.line == "kits_ordered"]
    assert (found.amount, found.ramp_months) == (pytest.approx(100), 4)
    plan = client.plan()
    now = evaluate(plan, [plan.model.changes_of("base")]).values("kits_ordered")[..., 6:, 0].sum(axis=1)
    assert list(found.shares.values()) == pytest.approx((now / now.sum()).tolist())
    held = {"member": ["Coast", "Valley", "Upland"], "share": ["50", "", ""]}
    done(client.send("moves/brings", **brings, amount="1200", at="0", **held))
    [found] = [one for one in benefits_of(move(client).changes) if one.line == "kits_ordered"]
    assert found.shares["Coast"] == pytest.approx(0.5)
    assert found.shares["Valley"] / found.shares["Upland"] == pytest.approx(now[1] / now[2])
    page = client.read("?view=moves&move=price_rise")
    assert "+100 a month from Jan 27, ramped over 4 months" in page
    done(client.send("moves/brings", **{**brings, "per": "once", "ramp": ""}, amount="-30", at="0"))
    assert "−30 once in Jan 27" in client.read("?view=moves&move=price_rise")
    done(client.send("moves/brings", **{**brings, "first": "2028-01"}, amount="240"))  # a second one of the line
    assert len([one for one in benefits_of(move(client).changes) if one.line == "kits_ordered"]) == 2
    done(client.send("moves/brings", **brings, amount="", at="0", do="remove"))
    [left] = [one for one in benefits_of(move(client).changes) if one.line == "kits_ordered"]
    assert left.first == Month(2028, 1)
    refused(client.send("moves/brings", **brings, amount="", at="7", do="remove"), "no longer there")
    refused(client.send("moves/brings", **brings, amount="", at="9" * 5000, do="remove"), "no longer there")
    done(client.send("moves/brings", **brings, amount="", at="0", do="remove"))
    assert all(change.line != "kits_ordered" for change in move(client).changes)
    for more, words in (
        ({"amount": "0"}, "Give an amount above or below 0"),
        ({"amount": "12", "per": "week"}, "a month, a year or once"),
        ({"amount": "12", "last": "2026-12"}, "Dec 26 lies before Jan 27"),
        ({"amount": "12", "first": "2031-01"}, "The plan runs from Jul 26 to Dec 28"),
        ({"amount": "12", "ramp": "99"}, "A ramp lasts 0 to 60 months"),
        ({"amount": "12", "line": "revenue_of_all"}, "revenue_of_all"),
        ({"amount": "12", "member": ["Coast"], "share": ["150"]}, "between 0 and 100 %"),
    ):
        refused(client.send("moves/brings", **{**brings, **more}), words)


def test_what_is_actual_by_now_stands_beside_what_was_aimed_at(client):
    brings = {"move": "price_rise", "line": "marketing", "per": "month", "first": "2026-05", "last": "2026-08"}
    done(client.send("moves/brings", **brings, amount="300"))
    came = evaluate(client.plan()).series("marketing")[4:6]
    page = client.read("?view=moves&move=price_rise")
    assert f"May 26 to Jun 26, now actual: 600 aimed at; the line came to {sum(came):,.0f} in all" in page


def test_aims_stand_beside_what_it_brings(client):
    done(client.send("moves/aims", move="price_rise", figure="lowest_cash", amount="20000", do="save"))
    assert move(client).aims == (Aim("ebitda_2027", 150000.0), Aim("lowest_cash", 20000.0))
    done(client.send("moves/aims", move="price_rise", figure="ebitda_2027", amount="90000", do="save"))
    assert move(client).aims[0] == Aim("ebitda_2027", 90000.0)
    page = client.read("?view=moves&move=price_rise&case=base")
    # 147,650 is what the price rise brings to Base's EBITDA of FY27
    plan = client.plan()
    both = [plan.model.changes_of("base"), (*plan.model.changes_of("base"), *move(client).changes)]
    ebitda = evaluate(plan, both, ["ebitda"]).values("ebitda")[12:24].sum(axis=0)
    assert f"+{ebitda[1] - ebitda[0]:,.0f} met" in re.sub(r"<[^>]+>", "", page)
    assert "short" in page
    done(client.send("moves/aims", move="price_rise", figure="lowest_cash", amount="", do="remove"))
    assert [aim.figure for aim in move(client).aims] == ["ebitda_2027"]
    refused(client.send("moves/aims", move="price_rise", figure="lowest_cash", amount="0"), "above or below 0")
    refused(client.send("moves/aims", move="price_rise", figure="luck", amount="1"), "luck")


def test_a_move_is_ordered_removed_and_its_history_told(client):
    client.set_cookie("person", "Maro")
    done(client.send("moves/place", move="hiring_freeze", do="up"))
    assert client.model().moves[0].name == "hiring_freeze"
    page = client.read("?view=moves&move=hiring_freeze")
    assert re.search(r"Maro, \d+ \w+ 20\d\d</span> Hiring freeze moved up", page)
    reply = done(client.send("moves/place", move="hiring_freeze", do="remove"))
    assert "move=" not in reply.location
    assert "hiring_freeze" not in client.model().move_by_name
    refused(client.send("moves/place", move="price_rise", do="sideways"), "up or down in the list, or be removed")
    refused(client.send("moves/about", move="price_rise", label="", status="idea"), "A name has 1 to 40 letters")
    refused(client.send("moves/about", move="price_rise", label="x", status="dreamt"), "how far it has come")
    refused(client.send("moves/change", move="price_rise", at="7", line="rent", do="save"), "no longer there")


def test_the_totals_row_says_together_and_one_by_one(client):
    page = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", client.read("?view=moves&case=worst_met&figure=lowest_cash")))
    plan = client.plan()
    whole = plan.model.changes_of("worst_met")
    bare = [c for layer in plan.model.layers_of("worst_met") if layer.move is None for c in layer.changes]
    lowest = evaluate(plan, [whole, bare]).values("cash_after_overdraft")[6:].min(axis=0)
    assert "The 7 that are on in Met early one by one, each alone, they would add up to" in page
    assert f"all at once +{lowest[0] - lowest[1]:,.0f}" in page


def test_moves_are_worked_by_keys_in_the_browser(page, address):
    page.goto(f"{address}/m/1/cases?view=moves&case=worst")
    page.locator("#bead-price_rise-worst").focus()
    page.keyboard.type("Feb 27")
    page.keyboard.press("Enter")
    expect(page.locator("#bead-price_rise-worst")).to_contain_text("Feb 27")
    page.locator("#bead-price_rise-worst").focus()
    page.keyboard.press("Control+ArrowRight")
    expect(page.locator("#bead-price_rise-worst")).to_contain_text("Mar 27")
    page.locator("#bead-price_rise-worst").focus()
    page.keyboard.press("Control+ArrowDown")
    expect(page.locator("#bead-price_rise-worst")).to_contain_text("90 %")
    page.locator("#bead-price_rise-worst").focus()
    page.keyboard.press("Delete")
    expect(page.locator("#bead-price_rise-worst")).to_have_attribute("data-state", "off")
    page.locator("#bead-second_lab-best").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#move-panel")).to_contain_text("What it changes")
    page.locator("#case-button").wait_for()
    page.goto(f"{address}/m/1/cases?view=moves&case=best&move=second_lab")
    page.locator("#handle").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#bead-second_lab-best")).to_contain_text("Jul 27")
    box = page.locator("#handle").bounding_box()
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    page.mouse.move(box["x"] + 5 - 15, box["y"] + 5, steps=3)
    page.mouse.up()
    expect(page.locator("#bead-second_lab-best")).to_contain_text("Jun 27")
    page.keyboard.press("Control+z")
    expect(page.locator("#bead-second_lab-best")).to_contain_text("Jul 27")
