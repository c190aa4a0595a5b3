"""The accessibility checker (axe-core) finds nothing on any page, in any of the ways it is shown."""

from pathlib import Path

import pytest

AXE = Path(__file__).parents[2] / "node_modules" / "axe-core" / "axe.min.js"
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"]
PLACES = [
    "m/1/lookout?case=worst", "m/1/frame",
    "m/1/actuals", "m/1/actuals?close=2026-06", "m/1/actuals?view=history&look=years",
    "m/1/actuals?view=history&look=against", "m/1/actuals?view=trends&series=kits_ordered+Coast&method=mean_of_last",
    "m/1/actuals?view=trends&horizon=6", "m/1/actuals?view=trends&anew=yes",
    "m/1/actuals?view=trends&series=kits_ordered+Coast&driven=yes&drives=dry_days|%40days%3ADE",
    "m/1/waterline?case=worst&fold=supplier_payments&act=suppliers_paid", "m/1/waterline?weeks=yes&add=loan",
    "m/1/sell?pattern=market", "m/1/sell?pattern=contracts", "m/1/outgoings",
    "m/1/cohorts?flow=watchpoint_joined",
    "m/1/people", "m/1/people?show=work", "m/1/people?show=cohorts", "m/1/people?show=shocks", "m/1/people?show=seats",
    "m/1/people?show=teams", "m/1/people?show=many", "m/1/people?show=hiring", "m/1/people?show=fill",
    "m/1/terms?open=staff",
    "m/1/drivers", "m/1/drivers?open=kit_price&shape=kit_price@Coast",
    "m/1/terms?open=kit_customers", "m/1/terms?open=lab_assets", "m/1/terms?open=paid", "m/1/terms?open=opening",
    "m/1/terms?new=loan", "m/1/statements", "m/1/statements?arrange=yes&beside=share", "m/1/statements?show=ratios",
    "m/1/statements?show=checks", "m/1/compare",
    "m/1/swings?by_way=range&second=lowest_cash&figure=ebitda_2027&goal=300000&line=kits_ordered",
    "m/1/swings?view=two&goal=100000&cell=8.12", "m/1/swings?view=bench",
    "m/1/swings?view=chance&draws=256&goal=100000", "m/1/work_back?case=worst&ask=1",
    "m/1/work_back", "m/1/work_back?view=worth",
    ("m/1/work_back?case=worst&figure=Lowest+cash&target=0&lever=Bridge+loan%3A+amount&low=0&high=400000&lever=Kit+price"
     "&low=-5+%25&high=%2B5+%25&keep_figure=FY27+EBITDA&keep_target=10000&ask=1"),
    "m/1/roots?line=revenue&start=2027-05&end=2027-05", "m/1/log", "m/1/seals", "models",
    "m/1/cases?case=worst_met&open=worst_met/kits_ordered&under=best",
    "m/1/cases?view=side&by=year&from=2026-01&to=2028-12", "m/1/cases?view=moves&case=worst_met",
    "m/1/cases?view=moves&case=best&move=second_lab",
    "m/1/cases?view=alternatives&by=year&split=region&figure=sum:ebitda",
    "m/1/compare?shape=small&shown=income&mode=percent&by=year",
]  # fmt: skip


@pytest.fixture(scope="module")
def checker(chromium, reading_address):
    """What the checker finds at a place. The page's own policy keeps foreign scripts out; only here may one look."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True)
    page = context.new_page()

    def find(place):
        page.goto(f"{reading_address}/{place}")
        page.wait_for_load_state("networkidle")
        page.evaluate(AXE.read_text("utf-8"))
        return page.evaluate("rules => axe.run(document, { runOnly: rules })", RULES)["violations"]

    yield find
    context.close()


@pytest.mark.skipif(not AXE.exists(), reason="npm is not here to bring the checker")
@pytest.mark.parametrize("place", PLACES)
def test_the_checker_finds_nothing(checker, place):
    assert [(found["id"], found["nodes"][0]["html"]) for found in checker(place)] == []
