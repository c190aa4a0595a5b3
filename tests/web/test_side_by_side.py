"""Side by side: values of several cases typed and pasted in one block, and every way it can go wrong."""

import json
import re

import pytest
from playwright.sync_api import expect

from tests.kit.desk import done, refused
from widefork.core.axes import Month, Period
from widefork.core.graph.rollup import roll_up

YEARS = "?view=side&by=year&from=2026-01&to=2028-12"
REGIONS = ("Coast", "Valley", "Upland")


@pytest.fixture
def client(client):
    return client.begin("cases", message_at="side", back=f"/m/1/cases{YEARS}")


def shown(client, query=YEARS, row=0, column=0):
    """What the page says it shows, as its script sends it."""
    page = client.read(query)
    rows = [(line, json.loads(at)) for line, at in re.findall(r"data-line=\"(\w+)\" data-members='(.*?)'", page)]
    columns = re.findall(r'data-case="(\w+)" data-first="([\d-]+)" data-last="([\d-]+)" data-label="([^"]+)"', page)
    return json.dumps({"row": row, "column": column, "rows": rows, "columns": columns})


def give(client, text, query=YEARS, row=0, column=0, **more):
    return client.send("block", text=text, shown=shown(client, query, row, column), **more)


def value(client, case, line, members, year):
    snapshot = client.workspace.now(1)
    period = Period("", "", Month(year, 1), Month(year, 12))
    return float(roll_up(snapshot.results, line, [period], members)[0, snapshot.place(case)])


def block(rows, heads=(), labels=()):
    lines = ["\t".join([""] * bool(labels) + list(head)) for head in heads]
    for place, row in enumerate(rows):
        lines.append("\t".join([*labels[place : place + 1], *map(str, row)]))
    return "\n".join(lines)


VOLUMES = (
    (15100, 17600, 19600, 15100, 23100, 28800, 11900, 15800, 18700),
    (10900, 12600, 14000, 10900, 16700, 20900, 8500, 11300, 13400),
    (6680, 7900, 9000, 6680, 10400, 13300, 5300, 7100, 8200),
)
CASES = ("base", "best", "worst")


def assert_volumes(client):
    for region, row in zip(REGIONS, VOLUMES, strict=True):
        wanted = iter(row)
        for case in CASES:
            for year in (2026, 2027, 2028):
                assert value(client, case, "kits_ordered", (region,), year) == pytest.approx(next(wanted))


def test_three_columns_of_volumes_go_in_as_one_edit(client):
    before = client.model()
    done(give(client, block(VOLUMES), row=1))
    assert_volumes(client)
    after = client.model()
    assert client.revision() == 1
    assert after.lines[0] != before.lines[0]  # Base has its values in its rule
    for case in ("best", "worst"):
        own = [change for change in after.case(case).changes if change.line == "kits_ordered"]
        at = [change.members for change in own]
        assert len(at) == len(set(at))  # one step for each line and member
    assert "What it moved" in client.read(f"{YEARS}&since=0")
    client.store.undo(1, "Guest")
    assert client.model() == before


def test_headings_and_labels_say_where_a_block_goes(client):
    heads = (("Worst", "", "", "Base", "", "", "Best", "", ""), ("FY26", "FY27", "FY28") * 3)
    turned = [(*row[6:], *row[:6]) for row in VOLUMES]
    labels = ("Kits ordered, Coast", "Valley", "Kits ordered / Upland".replace(" / ", ", "))
    done(give(client, block(turned, heads, labels), row=9, column=3))
    assert_volumes(client)


def test_years_alone_above_a_block_begin_anew_for_the_next_case(client):
    done(give(client, block(VOLUMES, (("2026", "2027", "2028") * 3,), ("Coast", "Valley", "Upland")), row=1))
    assert_volumes(client)


def test_a_value_the_case_inherits_makes_no_step(client):
    done(give(client, "50", f"{YEARS}&find=kit+price", row=5, column=4))
    assert [change.line for change in client.model().case("best").changes].count("kit_price") == 1
    base = value(client, "base", "kit_price", ("Coast",), 2027)
    done(give(client, f"{base!r}", f"{YEARS}&find=kit+price", row=5, column=4))
    assert "kit_price" not in [change.line for change in client.model().case("best").changes]
    refused(give(client, f"{base!r}", f"{YEARS}&find=kit+price", row=5, column=4), "changes nothing")
    done(give(client, f"{base!r}", f"{YEARS}&find=kit+price", row=5, column=4, hold="yes"))
    assert [change.line for change in client.model().case("best").changes].count("kit_price") == 1


def test_what_is_typed_may_be_relative(client):
    before = value(client, "worst", "kits_ordered", ("Coast",), 2028)
    done(give(client, "+10%", row=1, column=8))
    assert value(client, "worst", "kits_ordered", ("Coast",), 2028) == pytest.approx(before * 1.1)


def test_delete_goes_back_to_what_is_inherited(client):
    base = value(client, "base", "kits_ordered", ("Coast",), 2028)
    done(client.send("inherit", shown=shown(client, row=1, column=8)))
    assert value(client, "worst", "kits_ordered", ("Coast",), 2028) == pytest.approx(base)
    refused(client.send("inherit", shown=shown(client, row=1, column=0)), "Base is the root")


@pytest.mark.parametrize(
    ("text", "place", "words"),
    [
        ("1\t2\t3\t4\t5\t6\t7\t8\t9\t10", (1, 0), "The block has 10 columns, and from here on there are 9"),
        ("Base\tBest\tDownside\n1\t2\t3", (1, 0), "“Downside” above the block is none of the cases shown"),
        ("FY26\tFY31\n1\t2", (1, 0), "“FY31” above the block is none of the periods shown"),
        ("FY26\tFY26\tFY26\tFY26\n1\t2\t3\t4", (1, 0), "more cases than are shown"),
        ("Base\tBase\tBase\tBase\n1\t2\t3\t4", (1, 0), "The block has 4 columns of one case, and 3 are shown"),
        ("1\n" * 99, (1, 0), "The block has 99 rows"),
        ("12.5\t3,5", (1, 0), "decimal"),
        ("tbc", (1, 0), "Expected a number"),
        ("100", (1, 0), "hold"),
        ("100", (0, 3), "a total; give its members"),
        ("", (1, 0), "nothing to paste"),
        ("Moon\t5", (1, 0), "“Moon” at the left of the block is no line or member shown"),
    ],
)  # fmt: skip
def test_a_block_that_does_not_fit_is_refused_in_words(client, text, place, words):
    before = client.model()
    refused(give(client, text, row=place[0], column=place[1]), words)
    assert client.model() == before


def test_what_cannot_be_read_keeps_its_value_when_the_rest_is_taken(client):
    before = value(client, "worst", "kits_ordered", ("Upland",), 2028)
    base = value(client, "base", "kits_ordered", ("Upland",), 2028)
    rows = [*VOLUMES[:2], (*VOLUMES[2][:8], "tbc")]
    reply = refused(give(client, block(rows), row=1), "Kits ordered, Upland, Worst, FY28: Expected a number, got “tbc”")
    assert 'data-offer="skip"' in reply.text
    done(give(client, block(rows), row=1, skip="yes"))
    kept = before / base * VOLUMES[2][2]  # Worst goes on taking its share of what Base has
    assert value(client, "worst", "kits_ordered", ("Upland",), 2028) == pytest.approx(kept)
    assert value(client, "worst", "kits_ordered", ("Upland",), 2027) == pytest.approx(7100)


def test_history_and_calculated_lines_of_the_root_take_no_value(client):
    months = "?view=side&by=month&from=2026-04&to=2026-09"
    refused(give(client, "5", months, row=1, column=0), "history, which stays as it is")
    page = client.read(f"{YEARS}&find=panels+wanted")
    row = [line for line, _ in re.findall(r"data-line=\"(\w+)\" data-members='(.*?)'", page)].index("panels_wanted")
    refused(give(client, "5", f"{YEARS}&find=panels+wanted", row=row, column=1), "a case below can adjust it")
    done(give(client, "3000", f"{YEARS}&find=panels+wanted", row=row, column=7))
    assert value(client, "worst", "panels_wanted", (), 2027) == pytest.approx(3000)


def test_lines_cases_and_periods_are_chosen(client):
    page = client.read(f"{YEARS}&section=all&shown=worst&shown=best")
    assert 'data-case="base" data-first' not in page
    assert page.count('data-case="worst" data-first') == 3
    assert "more lines: choose a section or a name" in page
    whole = client.read(f"{YEARS}&per=plan&grouped=period")
    assert whole.count('data-label="the plan"') == 3
    assert "No assumption matches" in client.read(f"{YEARS}&section=nowhere&find=zzz")


@pytest.mark.parametrize("sent", ["", "{}", '{"rows": [], "columns": [], "row": 0, "column": 0}', "[1]", "null"])
def test_what_no_page_sends_is_refused(client, sent):
    refused(client.send("block", text="5", shown=sent), "no edit")


def test_a_block_is_pasted_by_key_in_the_browser(page, address):
    page.goto(f"{address}/m/1/cases{YEARS}")
    page.get_by_role("link", name="Side by side").wait_for()
    cell = page.locator("#side tr[data-line=kits_ordered]").nth(1).locator("td.value").first
    cell.click()
    page.evaluate(
        """text => {
            const data = new DataTransfer();
            data.setData("text/plain", text);
            const paste = new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true });
            document.activeElement.dispatchEvent(paste);
        }""",
        block(VOLUMES),
    )
    expect(page.locator("#latest-sentence")).to_contain_text("values in Base, Best, Worst")
    expect(cell).to_have_text("15,100")
    expect(cell).to_be_focused()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowRight")
    page.keyboard.type("12000")
    page.keyboard.press("Enter")
    expect(page.locator("#latest-sentence")).to_contain_text("1 value in Base")
    below = page.locator("#side tr[data-line=kits_ordered]").nth(3).locator("td.value").nth(1)
    expect(below).to_be_focused()
    page.keyboard.press("Control+z")
    expect(page.locator("#latest-sentence")).to_contain_text("took back")
