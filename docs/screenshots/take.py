"""Takes the screenshots of the main views from demo data: ``.venv/bin/python docs/screenshots/take.py``."""

import tempfile
import threading
from pathlib import Path

import waitress
from playwright.sync_api import sync_playwright

from widefork.core.engine import warm_up
from widefork.demo import build_demo
from widefork.web.app import create_app

HERE = Path(__file__).parent
ARGUMENTS = ["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--disable-background-networking"]

BOOKS = """Account	July 2026
Kit revenue	-161,900
Panel revenue	-48,020
Kit materials	49,150
Courier	18,650
Rent	9,200
Software licences	3,240
Cash	377,650
Receivables: Kit customers	301,750
Receivables: Municipal customers	146,380
Inventory	28,900
Property and equipment	88,167
Payables	-91,200
Sales tax payable	-24,440
Payroll liabilities	-16,715
Loans	-104,069
Equity	-706,423
Kits sold	3,160
"""


def main():
    warm_up()  # answers of hundreds of evaluations take long without
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        app = create_app(Path(folder))
        app.extensions["workspace"].store.create(build_demo("quillmere"))
        server = waitress.create_server(app, host="127.0.0.1", port=0)
        threading.Thread(target=server.run, daemon=True).start()
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.context.add_cookies([{"name": "person", "value": "Ines", "domain": "127.0.0.1", "path": "/"}])
        take_all(page, f"http://127.0.0.1:{server.effective_port}/m/1")
        browser.close()


def take_all(page, address):
    def take(name):
        page.wait_for_timeout(400)
        page.screenshot(path=HERE / f"{name}.png")
        print(f"{name}.png")

    take_readings(page, address, take)
    take_money(page, address, take)
    take_people(page, address, take)
    take_drivers(page, address, take)


def take_people(page, address, take):
    page.goto(f"{address}/people?show=work&team=Samplers+Upland&from=2026-07&to=2027-09")
    take("people")
    page.goto(f"{address}/cases?case=worst_met")
    take("cases")
    page.goto(f"{address}/cases?view=moves&case=best&move=second_lab")
    take("moves")
    sets = "columns=one of Samplers&rows=start of Flu wave, quick rebound: Nov 26; Feb 27; May 27; Aug 27"
    page.goto(f"{address}/cases?view=alternatives&by=year&figure=lowest_cash&{sets}&third=cases: Base; Worst")
    take("alternatives")


def take_readings(page, address, take):
    page.goto(f"{address}/lookout?case=worst")
    take("lookout")
    page.goto(f"{address}/statements?case=worst")
    take("statements")
    page.goto(f"{address}/terms?open=suppliers")
    take("terms")
    page.goto(f"{address}/compare?case=worst&by=year&from=2026-01&to=2028-12")
    page.locator("#bridge").wait_for()
    page.locator("#why-title").scroll_into_view_if_needed()
    page.evaluate("document.getElementById('main').scrollTop = document.querySelector('.compare-why').offsetTop - 220")
    take("compare")
    page.goto(f"{address}/swings?figure=ebitda_2027&by_way=range&second=lowest_cash&goal=300000&line=kits_ordered")
    take("swings")
    page.goto(f"{address}/swings?view=chance&draws=4096&contracts=yes")
    page.locator("#chance").wait_for()
    take("chance")
    levers = (
        "lever=Bridge+loan:+amount&low=0&high=200000&weight=1"
        "&lever=Kit+customers:+days+until+customers+pay+from+Jan+27+to+Sep+27&low=47&high=80&weight=2"
        "&lever=Suppliers:+days+until+suppliers+are+paid+from+Jan+27&low=30&high=45&weight=2"
    )
    kept = "keep_figure=FY27+EBITDA&keep_sense=at+least&keep_target=10000"
    page.goto(f"{address}/work_back?case=worst&figure=Lowest+cash&target=0&{levers}&{kept}&way=smallest&ask=1")
    page.locator(".by-case").wait_for()
    take("work_back")
    way = "ebitda::2027-05:2027-05~gross_profit::2027-05:2027-05~revenue::2027-05:2027-05"
    page.goto(f"{address}/roots?line=kit_revenue&at=Coast&start=2027-05&end=2027-05&case=worst&way={way}")
    page.wait_for_selector(".pulls")
    take("roots")
    page.goto(f"{address}/work_back?view=worth&case=base")
    page.locator(".worth-moves").wait_for()
    take("worth")


def take_money(page, address, take):
    page.goto(f"{address}/actuals")
    page.get_by_label("Accounts and amounts, pasted").fill(BOOKS)
    page.get_by_role("button", name="Read the books").click()
    page.wait_for_selector(".books-table")
    page.locator(".terms-main").evaluate("main => main.scrollTo(0, 470)")
    take("actuals")
    page.goto(f"{address}/actuals?view=trends&series=kits_ordered+Coast")
    page.get_by_text("Off by").wait_for(timeout=90_000)
    take("trends")
    page.goto(f"{address}/actuals?view=trends&horizon=30")
    page.get_by_text("can be trusted").wait_for(timeout=90_000)
    take("trends_all")
    page.goto(f"{address}/waterline?case=worst&from=2026-10&to=2027-11&fold=supplier_payments&act=suppliers_paid")
    page.locator("#act-form input[name=share]").fill("40 %")
    page.get_by_role("button", name="Try it").click()
    page.wait_for_selector(".steps")
    page.get_by_role("button", name="Sketch this loan").click()
    page.wait_for_selector(".steps li:nth-child(3)")
    take("waterline")
    page.get_by_role("button", name="Drop").click()


def take_drivers(page, address, take):
    page.goto(f"{address}/sell?pattern=subscription")
    page.get_by_label("What it is called").fill("Watchpoint")
    page.get_by_label("new customers a month").fill("20 rising 2 % each month from Jan 27")
    page.locator("#q-price").fill("15")
    for row, (name, share, price) in enumerate((("Home", "70 %", ""), ("Estate", "30 %", "34")), 1):
        page.get_by_label(f"Name, row {row}", exact=True).fill(name)
        page.get_by_label(f"share of new ones, row {row}").fill(share)
        page.get_by_label(f"price a month, row {row}").fill(price)
    page.get_by_label("share that pays by the year").fill("40 %")
    page.wait_for_selector("#sell-preview table")
    page.wait_for_timeout(900)
    take("sell")
    page.goto(f"{address}/drivers?open=kit_price&shape=kit_price@Coast&from=2026-06&to=2027-08")
    page.get_by_role("button", name="Sketch").click()
    page.locator("#c-kit_price-Coast-2027-01").click()
    page.keyboard.type("52.50")
    page.keyboard.press("Enter")
    page.wait_for_selector("#row-kit_price-0.edited")
    take("drivers")


if __name__ == "__main__":
    main()
