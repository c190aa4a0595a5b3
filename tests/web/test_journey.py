"""The whole job once in a real browser, as a newcomer would do it, and the keyboard."""

import re

import pytest
from playwright.sync_api import expect

from tests.kit.browser import serving
from widefork.web.app import create_app


def number(text):
    return float(re.sub(r"[^\d.−-]", "", text).replace("−", "-"))


def test_from_assumptions_to_a_compared_and_solved_plan(page, app, tmp_path):
    with serving(app) as address:
        walk(page, address)
    again = create_app(tmp_path)
    with serving(again) as address:
        page.goto(f"{address}/m/1/drivers?case=worst&from=2026-07&to=2027-06")
        expect(page.locator("#watch-lowest_cash .value")).not_to_contain_text("−329")
        expect(page.locator("#latest-sentence")).to_contain_text("Bridge loan: amount")
        page.goto(f"{address}/m/1/drivers?open=kit_price&from=2027-01&to=2027-06")
        expect(page.locator("#c-kit_price-Coast-2027-03")).to_have_text("52.50")


def walk(page, address):
    # 1. the Lookout: fork chart, lowest cash with its month, years by case, break-even
    page.goto(address)
    expect(page).to_have_url(re.compile(r"/m/1/lookout$"))
    expect(page.get_by_role("img", name="Cash after overdraft by case")).to_be_visible()
    worst = page.locator("#card-worst")
    expect(worst).to_contain_text("May 27")
    expect(worst).to_contain_text("Under the waterline from Apr 27 for 6 months, short by")
    expect(page.locator("#card-base")).to_contain_text("First month in profit: Apr 27. Running total in profit: Nov 27")
    years = page.get_by_role("region", name="Fiscal years")
    for label in ("Revenue", "EBITDA", "Net profit", "FY26", "FY27", "FY28"):
        expect(years).to_contain_text(label)

    # 2. Drivers: one region's price from a month on; everything follows; undo, redo
    page.get_by_role("link", name="Drivers").click()
    page.get_by_role("link", name="show members of Kit price").click()
    expect(page).to_have_url(re.compile("open=kit_price"))
    page.goto(f"{page.url}&from=2026-12&to=2027-09".replace("from=2026-04&to=2027-06&", ""))
    cell = page.locator("#c-kit_price-Coast-2027-03")
    expect(cell).to_have_text("50.47")
    before = page.locator("#watch-revenue_2027 .value").inner_text()
    cell.dblclick()
    field = page.get_by_label("New value")
    field.fill("52,50")
    field.press("Enter")
    expect(cell).to_contain_text("52.50")
    expect(cell).to_contain_text("+2.03")
    expect(page.locator("#c-kit_price-Coast-2027-02")).to_have_text("50.47")
    expect(page.locator("#c-kit_revenue--2027-03")).to_have_class(re.compile("moved"))
    watched = page.locator("#watch-revenue_2027")
    expect(watched.locator(".before")).to_have_text(before)
    assert number(watched.locator(".chip").inner_text()) > 0
    expect(page.locator("#latest-sentence")).to_contain_text("Kit price, Coast: 50.47 to 52.50 from Mar 27 in Base")
    expect(page.locator("#c-kit_price-Valley-2027-03")).to_be_focused()
    page.keyboard.press("Control+z")
    expect(cell).to_contain_text("50.47")
    expect(watched.locator(".value")).to_contain_text(before)
    page.get_by_role("button", name="Redo").click()
    expect(cell).to_contain_text("52.50")

    # 3. Statements: three, monthly and by year, they tie, and every figure says how it came about
    page.get_by_role("link", name="Statements").click()
    expect(page.locator(".sub")).to_contain_text("all three tie in every month")
    for tab in ("Cash flow", "Balance", "Income"):
        page.get_by_role("link", name=tab, exact=True).click()
        expect(page.locator("#statement thead")).to_contain_text("FY27")
    page.locator("#s-revenue-2027-03 a").click()
    panel = page.get_by_role("dialog")
    expect(panel.locator("#roots-formula")).to_have_text(re.compile(r"^sum_over\(kit_revenue\) \+ panel_revenue \+ "))
    values = [number(part) for part in panel.locator("#roots-parts td:nth-child(2)").all_inner_texts()]
    assert sum(values) == pytest.approx(number(panel.locator("#roots-answer").inner_text()), abs=2)
    for step in ("Kit revenue", "Coast", "Kit price, Coast"):
        panel.get_by_role("link", name=step, exact=True).click()
        expect(panel.locator("#roots-title")).to_contain_text(step.split(",")[0])
    expect(panel).to_contain_text("An assumption: 49.00 from Jan 26, then 50.47 from Jan 27, then 52.50 from Mar 27.")
    page.keyboard.press("Escape")
    expect(panel).to_have_count(0)

    # 4. the fork switcher; in Worst the waterline shows when and by how much
    page.locator("#tine-worst .name").click()
    expect(page.locator(".sub .case-name")).to_have_text("Worst with 1 move")
    chart = page.get_by_role("img", name="Waterline: cash after overdraft by case")
    expect(chart).to_contain_text(re.compile(r"short by \d{3},\d{3} in Jul 27"))

    # 5. Compare: figures by case with differences to Base
    page.get_by_role("link", name="Compare").click()
    row = page.locator("#figure-lowest_cash")
    base, worst_cash = (number(row.locator("td").nth(i).inner_text().split()[-1]) for i in (0, 2))
    page.get_by_role("link", name="apart", exact=True).click()
    expect(page.get_by_role("link", name="apart", exact=True)).to_have_attribute("aria-current", "true")
    gap = number(row.locator("td").nth(2).inner_text().split()[-1])
    assert worst_cash - base == pytest.approx(gap, abs=1.5)

    # 6. Swings: all assumptions by the same share, ranked for a chosen figure
    page.get_by_role("link", name="Swings").click()
    page.wait_for_load_state()
    page.get_by_label("Figure", exact=True).select_option(label="FY27 EBITDA")
    expect(page.locator("#swings tbody tr").first).to_contain_text("Kit price")
    said = [bar.get_attribute("aria-label") for bar in page.locator("#swings .swing-bars").all()[:8]]
    widest = [max(abs(number(effect)) for effect in re.findall(r": ([+−][\d,]+),", each)) for each in said]
    assert widest == sorted(widest, reverse=True)

    # 7. Work back: the bridge loan that keeps lowest cash at 0, kept in Worst
    page.get_by_role("link", name="Work back").click()
    page.wait_for_load_state()
    page.get_by_label("Figure", exact=True).fill("Lowest cash")
    page.get_by_label("How", exact=True).select_option("at least")
    page.get_by_label("Target", exact=True).fill("0")
    page.get_by_label("Assumption", exact=True).fill("Bridge loan: amount")
    page.get_by_role("button", name="Find").click()
    amount = number(page.locator("#amount").inner_text())
    assert 200_000 < amount < 400_000
    expect(page.get_by_role("img", name=re.compile("Lowest cash by Bridge loan"))).to_be_visible()
    assert 0 <= number(page.locator("tr.aim td").nth(2).inner_text()) < 200
    page.get_by_role("button", name="Keep in Worst").click()
    expect(page.locator("#answer")).to_contain_text("Already there")
    lowest = page.locator("#watch-lowest_cash")
    expect(lowest.locator(".before")).to_contain_text("−")
    assert 0 <= number(lowest.locator(".value").inner_text().removeprefix(lowest.locator(".before").inner_text())) < 200


def test_the_sheet_by_keyboard_alone(page, address):
    page.goto(f"{address}/m/1/drivers?from=2026-06&to=2027-03")
    page.locator("#c-rent--2026-07").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#c-rent--2026-08")).to_be_focused()
    page.keyboard.press("ArrowDown")
    expect(page.locator("#c-software--2026-08")).to_be_focused()
    page.keyboard.press("+")
    field = page.get_by_label("New value")
    expect(field).to_be_focused()
    page.keyboard.type("10 %")
    page.keyboard.press("Enter")
    expect(page.locator("#c-software--2026-08")).to_contain_text("3,410")
    expect(page.locator("#c-software--2026-07")).to_have_text("3,100")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("F2")
    expect(field).to_have_value("3410")
    field.fill("many")
    page.keyboard.press("Enter")
    expect(page.locator("#editor-message")).to_contain_text("Expected a number, got “many”")
    expect(field).to_have_value("many")
    page.keyboard.press("Escape")
    expect(page.locator("#entry")).to_have_count(0)
    expect(page.locator("#c-software--2026-08")).to_be_focused()
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Control+z")
    expect(page.locator("#c-software--2026-08")).to_contain_text("3,100")


def test_a_formula_is_mended_where_it_is_written(page, address):
    page.goto(f"{address}/m/1/drivers")
    page.get_by_role("button", name=re.compile("Formula of Marketing cost")).click()
    field = page.get_by_label("Formula", exact=True)
    field.fill("marketing_share * revenues")
    page.keyboard.press("Control+Enter")
    expect(page.locator("#editor-message")).to_contain_text("Did you mean revenue")
    field.fill("marketing_share * revenue * 2")
    page.get_by_role("button", name="Use this formula").click()
    expect(page.locator("#row-marketing .rule")).to_have_text("marketing_share * revenue * 2")


def test_a_case_marks_what_differs_and_goes_back(page, address):
    page.goto(f"{address}/m/1/drivers?case=best&from=2026-07&to=2027-03")
    page.locator("#c-rent--2026-09").click()
    page.keyboard.type("10000")
    page.keyboard.press("Alt+Enter")
    rent = page.locator("#c-rent--2026-09")
    expect(rent).to_have_class(re.compile("differs"))
    expect(page.locator("#c-rent--2026-10")).not_to_have_class(re.compile("differs"))
    rent.dblclick()
    page.get_by_role("button", name="Back to Base").click()
    expect(rent).not_to_have_class(re.compile("differs"))


def test_the_lens_and_two_people(page, address):
    page.goto(f"{address}/m/1/statements?show=balance")
    page.locator("#lens-to").focus()
    page.keyboard.press("ArrowLeft")
    expect(page).to_have_url(re.compile("to=2027-05.*|.*show=balance"))
    expect(page.locator("#statement")).to_contain_text("Retained earnings")
    expect(page.locator("#lens-words")).to_have_text("Apr 26 to May 27")
    page.goto(f"{address}/m/1/drivers?from=2026-07&to=2026-12")
    other = page.context.browser.new_context().new_page()
    other.context.add_cookies([{"name": "person", "value": "Okan", "url": address}])
    other.goto(f"{address}/m/1/drivers?from=2026-07&to=2026-12")
    for who, amount in ((other, "9500"), (page, "9900")):
        who.locator("#c-rent--2026-09").click()
        who.keyboard.type(amount)
        who.keyboard.press("Enter")
        if who is other:
            expect(other.locator("#c-rent--2026-09")).to_contain_text(re.compile("9,500"))
    expect(page.locator("#editor-message")).to_contain_text("changed this meanwhile: Rent: 9,200 to 9,500")
    page.get_by_role("button", name="Use mine").click()
    expect(page.locator("#c-rent--2026-09")).to_contain_text("9,900")
    other.context.close()
