"""Takes the screenshots of the main views from demo data: ``.venv/bin/python docs/screenshots/take.py``."""

import tempfile
import threading
from pathlib import Path

import waitress
from playwright.sync_api import sync_playwright

from widefork.demo import build_demo
from widefork.web.app import create_app

HERE = Path(__file__).parent
ARGUMENTS = ["--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--disable-background-networking"]


def main():
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

    page.goto(f"{address}/lookout?case=worst")
    take("lookout")
    page.goto(f"{address}/statements?case=worst")
    take("statements")
    page.goto(f"{address}/compare")
    take("compare")
    page.goto(f"{address}/swings?figure=ebitda_2027")
    take("swings")
    page.goto(f"{address}/work_back?case=worst&ask=1")
    take("work_back")
    page.goto(f"{address}/statements?case=worst&from=2026-06&to=2027-05")
    page.locator("#s-revenue-2026-08 a").click()
    page.wait_for_selector("#roots-panel")
    page.locator("#roots-parts a").first.click()
    page.wait_for_timeout(300)
    page.locator("#roots-parts a").first.click()
    take("roots")
    page.goto(f"{address}/drivers?open=kit_price&from=2026-06&to=2027-08")
    page.locator("#c-kit_price-Coast-2027-01").click()
    page.get_by_label("New value").fill("52.50")
    page.keyboard.press("Enter")
    page.wait_for_selector("#row-kit_price-0.edited")
    take("drivers")


if __name__ == "__main__":
    main()
