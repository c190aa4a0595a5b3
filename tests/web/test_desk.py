"""A day at the desk in a real browser: cells, blocks, rules, sketches, formulas, lines, the frame and Roots."""

import re

import pytest
from playwright.sync_api import expect

PASTE = """text => {
  const clipboardData = new DataTransfer();
  clipboardData.setData("text/plain", text);
  const pasted = new ClipboardEvent("paste", {clipboardData, bubbles: true, cancelable: true});
  document.activeElement.dispatchEvent(pasted);
}"""
COPY = """() => {
  const clipboardData = new DataTransfer();
  document.activeElement.dispatchEvent(new ClipboardEvent("copy", {clipboardData, bubbles: true, cancelable: true}));
  return clipboardData.getData("text/plain");
}"""


def cell(page, line, month, member=""):
    return page.locator(f"#c-{line}-{member}-{month}")


@pytest.fixture
def sheet(page, address):
    page.goto(f"{address}/m/1/drivers?open=kit_price&from=2026-11&to=2027-09")
    return page


def test_moving_and_choosing_by_keyboard(sheet):
    cell(sheet, "kit_price", "2027-01", "Coast").click()
    for key, where in (
        ("ArrowRight", ("2027-02", "Coast")), ("ArrowDown", ("2027-02", "Valley")), ("End", ("2027-09", "Valley")),
        ("Home", ("2026-11", "Valley")), ("Control+ArrowRight", ("2027-09", "Valley")),
        ("Shift+Tab", ("2027-08", "Valley")),
    ):  # fmt: skip
        sheet.keyboard.press(key)
        expect(cell(sheet, "kit_price", *where)).to_be_focused()
    sheet.keyboard.press("Shift+ArrowLeft")
    sheet.keyboard.press("Shift+ArrowDown")
    expect(sheet.locator("td.in-range")).to_have_count(4)
    expect(sheet.locator("#selection")).to_contain_text("2 rows × 2 months: sum 189.52")
    sheet.keyboard.press("Escape")
    expect(sheet.locator("td.in-range")).to_have_count(0)


def test_typing_goes_on_row_after_row_while_edits_are_still_under_way(sheet):
    cell(sheet, "kit_price", "2027-03", "Coast").click()
    sheet.keyboard.type("51")
    sheet.keyboard.press("Enter")
    sheet.keyboard.type("52")
    sheet.keyboard.press("Enter")
    sheet.keyboard.type("53")
    sheet.keyboard.press("Tab")
    for member, value in (("Coast", "51.00"), ("Valley", "52.00"), ("Upland", "53.00")):
        expect(cell(sheet, "kit_price", "2027-03", member)).to_contain_text(value)
    expect(cell(sheet, "kit_price", "2027-04", "Upland")).to_be_focused()
    for before in ("Upland", "Valley"):
        sheet.keyboard.press("Control+z")
        expect(sheet.locator("#latest-sentence")).to_contain_text(f"took back: Kit price, {before}")
    expect(cell(sheet, "kit_price", "2027-03", "Coast")).to_contain_text("51.00")
    expect(cell(sheet, "kit_price", "2027-03", "Valley")).to_contain_text("48.41")


def test_a_block_is_copied_pasted_filled_adjusted_and_cleared(sheet):
    cell(sheet, "kit_price", "2027-01", "Coast").click()
    sheet.keyboard.press("Shift+ArrowDown")
    sheet.keyboard.press("Shift+ArrowRight")
    assert sheet.evaluate(COPY) == "50.47\t50.47\n48.41\t48.41"
    sheet.evaluate(PASTE, "61,5\t62\n(3)\t64,25\n")
    expect(cell(sheet, "kit_price", "2027-02", "Coast")).to_contain_text("62.00")
    expect(cell(sheet, "kit_price", "2027-01", "Valley")).to_contain_text("−3.00")
    expect(sheet.locator("#latest-sentence")).to_contain_text("Kit price, Coast and 1 more: pasted Jan 27 to Feb 27")
    cell(sheet, "kit_price", "2027-02", "Coast").click()
    sheet.keyboard.press("Control+Shift+ArrowRight")
    sheet.keyboard.press("Control+r")
    expect(cell(sheet, "kit_price", "2027-09", "Coast")).to_contain_text("62.00")
    sheet.keyboard.press("Control+j")
    sheet.keyboard.type("+10 %")
    sheet.keyboard.press("Enter")
    expect(cell(sheet, "kit_price", "2027-09", "Coast")).to_contain_text("68.20")
    expect(cell(sheet, "kit_price", "2027-01", "Coast")).to_contain_text("61.50")
    cell(sheet, "kit_price", "2027-01", "Valley").click()
    sheet.keyboard.press("Delete")
    expect(cell(sheet, "kit_price", "2027-01", "Valley")).to_contain_text("–")


def test_a_paste_that_cannot_all_be_taken_says_which_and_offers_the_rest(sheet):
    cell(sheet, "kit_price", "2027-03", "Upland").click()
    sheet.evaluate(PASTE, "55\n7\n")
    said = sheet.locator("#editor-message")
    expect(said).to_contain_text("Kit revenue: calculated; change its formula")
    said.get_by_role("button", name="Leave those out").click()
    expect(cell(sheet, "kit_price", "2027-03", "Upland")).to_contain_text("55.00")


def test_a_rule_is_said_in_words_tried_in_another_kind_and_dragged(sheet):
    sheet.get_by_role("link", name=re.compile("Rule of Rent:")).click()
    words = sheet.locator("#shape-phrase")
    words.fill("9200 rising 3 % a year from Jan 2027")
    words.press("Enter")
    expect(cell(sheet, "rent", "2027-03")).to_contain_text("9,476")
    expect(sheet.locator("#row-rent .rule")).to_contain_text("9,200 growing 3 % once a year from Jan 27")
    sheet.locator(".kinds").get_by_role("link", name="Month by month").click()
    expect(sheet.locator("#shape-keeps")).to_contain_text("exactly the same numbers")
    sheet.locator("#shape-use").click()
    expect(sheet.locator("#row-rent .rule")).to_contain_text("month by month from Jan 26")
    expect(cell(sheet, "rent", "2027-03")).to_contain_text("9,476")
    point = sheet.locator('#curve circle[data-month="2027-03"]')
    box = point.bounding_box()
    sheet.mouse.move(box["x"] + 4, box["y"] + 4)
    sheet.mouse.down()
    sheet.mouse.move(box["x"] + 4, box["y"] + 40, steps=4)
    expect(sheet.locator("#curve-tag")).to_contain_text("Mar 27")
    sheet.mouse.up()
    expect(cell(sheet, "rent", "2027-03")).to_have_class(re.compile("moved"))
    expect(cell(sheet, "rent", "2027-04")).not_to_have_class(re.compile("moved"))
    point = sheet.locator('#curve circle[data-month="2027-05"]')
    point.focus()
    sheet.keyboard.press("Shift+ArrowUp")
    sheet.keyboard.press("Enter")
    expect(cell(sheet, "rent", "2027-05")).to_have_class(re.compile("moved"))
    sheet.get_by_role("link", name="close", exact=True).click()
    expect(sheet.locator("#shape-row")).to_have_count(0)


def test_a_sketch_shows_before_and_after_survives_a_reload_and_is_kept_as_a_fork(sheet, address):
    sheet.get_by_role("button", name="Sketch").click()
    expect(sheet.locator("#latest")).to_contain_text("Sketch in Base")
    before = sheet.locator("#watch-revenue_2027 .value").inner_text()
    cell(sheet, "kit_price", "2027-01", "Coast").click()
    sheet.keyboard.type("60")
    sheet.keyboard.press("Enter")
    expect(sheet.locator("#watch-revenue_2027 .before")).to_have_text(before)
    sheet.reload()
    expect(sheet.locator("#watch-revenue_2027 .before")).to_have_text(before)
    sheet.keyboard.press("Control+z")
    expect(sheet.locator("#watch-revenue_2027 .before")).to_have_count(0)
    sheet.keyboard.press("Control+Shift+z")
    expect(sheet.locator("#watch-revenue_2027 .before")).to_have_text(before)
    sheet.get_by_role("button", name="Keep", exact=True).click()
    sheet.get_by_label("or under a name of its own").fill("Dearer kits")
    sheet.get_by_role("button", name="as a new fork").click()
    expect(sheet.locator("#tine-dearer_kits")).to_contain_text("Dearer kits")
    expect(sheet.locator("#latest")).not_to_contain_text("Sketch in")
    expect(cell(sheet, "kit_price", "2027-01", "Coast")).to_contain_text("50.47")
    sheet.goto(f"{address}/m/1/drivers?open=kit_price&case=dearer_kits&from=2026-11&to=2027-09")
    expect(cell(sheet, "kit_price", "2027-01", "Coast")).to_have_class(re.compile("differs"))


def test_a_formula_is_completed_by_display_name_with_its_value_while_it_is_typed(sheet):
    sheet.get_by_role("button", name=re.compile("Formula of Marketing cost")).click()
    field = sheet.get_by_label("Formula", exact=True)
    field.fill("")
    field.press_sequentially("marketing sh")
    expect(sheet.locator("#formula-words li").first).to_contain_text("marketing_share")
    field.press("Tab")
    field.press_sequentially(" * reven")
    field.press("Tab")
    expect(field).to_have_value(re.compile(r"^marketing_share \* revenue"))
    field.fill("marketing_share * revenue * 2")
    expect(sheet.locator("#editor-message .tried b")).to_be_visible()
    field.fill("marketing_share * (revenue")
    expect(sheet.locator("#editor-message .fault").first).to_be_visible()
    field.press("Escape")
    field.press("Escape")
    expect(sheet.locator("#editor")).to_have_count(0)


def test_a_line_is_added_described_renamed_and_deleted(sheet):
    sheet.locator("#section-kits tr.section").hover()
    sheet.get_by_role("button", name="Add a line to Well kits").click()
    sheet.get_by_label("Name", exact=True).fill("Gift kits")
    sheet.get_by_label("Unit", exact=True).fill("kits")
    sheet.get_by_label("Every month").fill("12")
    sheet.get_by_role("button", name="Add this line").click()
    expect(cell(sheet, "gift_kits", "2027-01")).to_contain_text("12")
    cell(sheet, "gift_kits", "2027-01").click()
    sheet.keyboard.press("Shift+F10")
    sheet.get_by_label("in formulas").fill("free_kits")
    sheet.get_by_label("Why this number").fill("Okan's promise")
    sheet.get_by_label("Plausible").fill("ten to twenty")
    sheet.get_by_role("button", name="Save").click()
    expect(sheet.locator("#panel-message")).to_contain_text("Expected a range like")
    sheet.get_by_label("Plausible").fill("10 to 20, likely 12")
    sheet.get_by_role("button", name="Save").click()
    expect(cell(sheet, "free_kits", "2027-01")).to_contain_text("12")
    cell(sheet, "free_kits", "2027-01").click()
    sheet.keyboard.press("Shift+F10")
    sheet.get_by_text("Delete this line").click()
    sheet.get_by_role("button", name="Delete Gift kits").click()
    expect(cell(sheet, "free_kits", "2027-01")).to_have_count(0)
    expect(sheet.locator("#latest-sentence")).to_contain_text("Gift kits: removed")


def test_a_long_sheet_comes_as_it_is_scrolled_to_and_an_edit_keeps_the_place(page, address):
    page.goto(f"{address}/m/1/drivers?from=2026-01&to=2028-12&open=" + "term_loan,lab,tax,vat,municipal,kit_customers")
    assert page.locator("#sheet .unfilled").count() > 0
    page.keyboard.press("Tab")
    page.locator("#main").evaluate("main => { main.scrollTop = main.scrollHeight }")
    last = page.locator("#sheet .chapter").last
    expect(last.locator("td.figure").first).to_be_visible()
    target = last.locator("td.editable").last
    target.click()
    name = target.get_attribute("id")
    page.keyboard.type("25")
    page.keyboard.press("Enter")
    expect(page.locator("#latest-sentence")).to_contain_text(re.compile(r"to 25(\.0 %)? from"))
    expect(page.locator(f'[id="{name}"]')).to_contain_text("25")
    assert page.locator("#main").evaluate("main => main.scrollTop") > 300


def test_going_anywhere_by_name_and_the_keys(page, address):
    page.goto(f"{address}/m/1/lookout")
    page.keyboard.press("Control+k")
    page.keyboard.type("kit pr")
    expect(page.locator("#finder-list li").first).to_contain_text("Kit price")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("focus=kit_price"))
    expect(page.locator("#row-kit_price")).to_be_visible()
    page.wait_for_load_state()  # keys are heard once the scripts are there
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_contain_text("choose a range")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+k")
    page.keyboard.type("worst")
    page.keyboard.press("Enter")
    expect(page.locator(".sub .case-name")).to_have_text("Worst with 1 move")


def test_from_any_figure_down_to_an_assumption_that_is_tried_there(page, address):
    page.goto(f"{address}/m/1/statements?case=worst")
    page.locator("#s-ebitda-2027-05 a").click()
    page.get_by_role("link", name="all the way down").click()
    expect(page.locator("#roots-sentence")).to_contain_text("EBITDA, May 27:")
    for part in ("Gross profit", "Revenue", "Kit revenue, Coast", "Kit price, Coast"):
        page.locator(".level").last.get_by_role("link", name=part).first.click()
        expect(page.locator(".level").last.locator("h2")).to_have_text(part)
    expect(page.locator("#roots-bottom")).to_contain_text("pharmacies accepted 3 %")
    expect(page.locator("#roots-pulls table")).to_contain_text("Kit price")
    page.get_by_label("Try an amount").fill("+10 %")
    page.keyboard.press("Enter")
    expect(page.locator("#value-0 .was")).to_be_visible()
    expect(page.locator("#latest")).to_contain_text("Sketch in Worst")
    page.locator("h1").click()
    page.keyboard.press("Backspace")
    expect(page.locator(".level")).to_have_count(4)
    page.get_by_label("Compared with").select_option(label="more or less than Base, its parent")
    expect(page.locator(".level").first).to_contain_text("against Base, May 27")
    page.get_by_role("button", name="Drop").click()
    expect(page.locator("#latest")).not_to_contain_text("Sketch in")


def test_the_frame_by_hand(page, address):
    page.goto(f"{address}/m/1/frame")
    page.get_by_role("button", name="1 year longer").click()
    expect(page.locator("#months")).to_contain_text("to Dec 29")
    name = page.get_by_label("Name of Coast")
    name.fill("Sea side")
    name.press("Enter")
    expect(page.locator("#latest-sentence")).to_contain_text("now called Sea side")
    point = page.locator("#profile-analyst_ramp circle").nth(1)
    point.scroll_into_view_if_needed()
    box = point.bounding_box()
    page.mouse.move(box["x"] + 4, box["y"] + 4)
    page.mouse.down()
    page.mouse.move(box["x"] + 4, box["y"] - 20, steps=3)
    page.mouse.up()
    expect(page.locator("#latest-sentence")).to_contain_text("100 % to 0 %")
    page.keyboard.press("Control+z")
    expect(page.locator("#latest-sentence")).to_contain_text("took back")


SHOWN = """() => [...document.querySelectorAll("#spine, #head, #sheet tr[id], #watch")].map((part) => [
  part.id, part.textContent.replace(/\\s+/g, " "), part.querySelectorAll("*").length,
  [...part.querySelectorAll("td.figure")].map((cell) => `${cell.id} ${cell.dataset.v} ${cell.title}`),
])"""


def test_after_edits_and_visits_the_page_is_the_one_a_reload_shows(page, address):
    page.goto(f"{address}/m/1/drivers?case=worst&open=kit_price&from=2026-11&to=2027-09")
    latest = page.locator("#latest-sentence")
    for line, member, month, typed, said in (
        ("kit_price", "Coast", "2027-02", "61.5", "61.50"), ("rent", "", "2027-01", "+10 %", "Rent"),
        ("kit_price", "Valley", "2027-05", "44.25", "44.25"),
    ):  # fmt: skip
        cell(page, line, month, member).click()
        page.keyboard.type(typed)
        page.keyboard.press("Enter")
        expect(latest).to_contain_text(said)
    page.keyboard.press("Control+z")
    expect(latest).to_contain_text("took back")
    page.locator("#shape-rent").click()
    expect(page.locator("#shape-phrase")).to_be_visible()
    page.get_by_role("link", name="close", exact=True).click()
    expect(page.locator("#shape-phrase")).to_have_count(0)
    patched = {part[0]: part for part in page.evaluate(SHOWN)}
    page.reload()
    fresh = {part[0]: part for part in page.evaluate(SHOWN)}
    both = patched.keys() & fresh.keys()  # sections further down come when they are scrolled to
    assert len(both) > 40
    assert [patched[name] for name in both] == [fresh[name] for name in both]
