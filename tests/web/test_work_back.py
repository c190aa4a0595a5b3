"""Work back: the sentence, its answers in words and figures, what is kept of them, and goals."""

import re
from threading import Event

import pytest

from tests.kit.desk import done, plain, refused
from widefork.core.analysis.figures import figure_amounts
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation, Switch
from widefork.web.pages.work_back.opening import ready
from widefork.web.shared.context import worked_out

WARM = "widefork.web.pages.work_back.opening.ready.is_warm"
"""Whether the machine is there: then questions are answered by themselves."""
ASK = "/m/1/work_back?case=base&figure=lowest_cash&sense=at+least&ask=1"


def answer(client, **more):
    asked = "&".join(f"{key}={value}" for key, value in more.items())
    return client.get(f"{ASK}&{asked}").text


def figure_of(client, name, case):
    plan = client.plan()
    return figure_amounts(plan, [plan.model.changes_of(case)], plan.model.figure(name))[0]


def asked(**sentence):
    """The fields of a form that asks: one lever unless lists are given."""
    usual = {"figure": "Lowest cash", "sense": "at least", "target": "0", "lever": "Bridge loan: amount", "low": "0",
             "high": "600000", "weight": "1", "way": "smallest"}  # fmt: skip
    return usual | sentence


def test_a_factor_is_said_in_the_lines_own_unit_with_its_months(client):
    page = answer(client, lever="panel_fee", target="315000")
    said = re.search(r'id="own-unit">([^<]*)<', page)[1]
    assert re.fullmatch(
        r"392\.00 → [\d,.]+ EUR/panel in Jul 26, and so on to [\d,.]+ → [\d,.]+ EUR/panel in Dec 28", said
    ), said
    assert re.search(r'id="amount">\+[\d.]+ %<', page)


def test_what_counts_things_is_answered_whole(client):
    """Contracts are a step rule, so a factor; more of them at once are whole ones."""
    page = answer(client, lever="panel_contracts", target="315000", low="%2B0", high="%2B20")
    assert re.search(r'id="amount">\+\d+<', page)
    assert re.search(r'id="own-unit">[^<]*contracts', page)


def test_the_answer_stands_in_every_case_and_is_true_there(client):
    """The loan that lifts Worst to 0, put into Worst by hand, does so; a thousand less does not."""
    query = "case=worst&figure=Lowest+cash&target=0&lever=Bridge+loan%3A+amount&low=0&high=600000&ask=1"
    page = client.get(f"/m/1/work_back?{query}").text
    amount = float(re.search(r'id="amount">([\d,]+)<', page)[1].replace(",", ""))
    plan = client.plan()
    changes = plan.model.changes_of("worst")
    tried = [(*changes, Change("bridge_loan_amount", Operation.SET, each)) for each in (amount, amount - 1000)]
    enough, less = figure_amounts(plan, tried, plan.model.figure("lowest_cash"))
    assert enough >= 0 > less
    cases = client.piece(f"/m/1/work_back/cases?{query}")
    rows = dict(re.findall(r'class="case-name"[^>]*>(?:<svg.*?</svg>)?(\w[\w ]*)</a></td>.*?class="strong">([^<]*)<',
                           cases, re.DOTALL))  # fmt: skip
    assert rows["Base"] == "already there"
    assert rows["Worst"] == f"{amount:,.0f}"


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"figure": "EBITDA+in+FY27", "target": "100000"}, "Already there"),
        ({"target": "9000000", "lever": "rent", "low": "0", "high": "9000"}, "No amount in that range gets there"),
        ({"target": "9000000", "lever": "market_share", "low": "-50+%25", "high": "%2B50+%25"}, "does not depend on"),
        ({"figure": "profitability"}, "A figure is asked for like"),
        ({"target": "much"}, "Expected a number"),
        ({"target": ""}, "Say what"),
        ({"lever": "Rentt"}, "Rentt"),
        ({"lever": "rent", "low": "500", "high": "5"}, "no width"),
        ({"lever": "rent", "low": "5", "high": ""}, "give both"),
        ({"starting": "Jan+26", "lever": "rent"}, "A change lies in the plan, Jul 26 to Dec 28"),
        ({"starting": "Feb+27", "until": "Jan+27", "lever": "rent"}, "cannot end in Jan 27"),
        ({"figure": "first+month+in+which+Net+profit+above+0", "target": "1000"}, "A month is written"),
    ],
)  # fmt: skip
def test_each_way_a_question_can_end_is_said_where_it_stands(client, more, words):
    page = client.get(f"/m/1/work_back?case=base&{'&'.join(f'{k}={v}' for k, v in more.items())}&ask=1").text
    assert words in page


def test_a_goal_that_cannot_be_kept_with_another_says_by_how_much(client):
    """EBITDA of 250,000 takes a margin above 8 %, so both do not go."""
    page = client.get(
        "/m/1/work_back?case=base&figure=EBITDA+in+FY27&target=250000&lever=Kit+price&low=-10+%25&high=%2B30+%25"
        "&keep_figure=FY27+EBITDA+margin&keep_sense=at+most&keep_target=8+%25&ask=1"
    ).text
    assert "Not both within this range: Kit price at +1.7 % gives EBITDA in FY27 alone" in page
    assert re.search(r"FY27 EBITDA margin would be 8\.\d %, 0\.\d % off at most 8\.0 %", page)


def test_by_a_month_is_asked_with_a_month(client):
    page = client.get(
        "/m/1/work_back?case=base&figure=break_even&sense=by&target=Jun+27&lever=Kit+price&low=-10+%25&high=%2B60+%25&ask=1"
    ).text
    assert "target: by Jun 27" in page
    assert re.search(r"Running total in profit</td><td[^>]*>Nov 27</td><td[^>]*>(Jan|Feb|Mar|Apr|May|Jun) 27<", page)


def test_an_answer_is_tried_kept_made_a_move_or_a_case(client):
    sentence = asked(case="worst")
    client.begin("work_back", case="worst", message_at="answer", back="/m/1/work_back?case=worst")
    done(client.send("keep", **sentence, amount="266900", do="sketch"))
    assert "Work back: Bridge loan: amount 266,900" in client.read("?case=worst")
    again = client.read("?case=worst&figure=Lowest+cash&target=0&lever=Bridge+loan%3A+amount&low=0&high=600000&ask=1")
    assert 'id="amount">266,900<' in again  # what was tried last is not taken for the plan
    done(client.post("/m/1/sketch/drop", data={"back": "/m/1/work_back?case=worst"}))
    done(client.send("keep", **sentence, amount="266900", do="move", label="Bridge"))
    assert client.model().move_by_name["bridge"].changes[0].note == "worked back"
    assert figure_of(client, "lowest_cash", "worst") >= 0
    done(client.send("keep", **sentence, amount="300000", do="new", label="Worst bridged"))
    assert client.model().case("worst_bridged").parent == "worst"
    done(client.send("keep", **sentence, amount="310000", do="case"))
    assert "worked back" in client.model().case("worst").changes[-1].note
    refused(client.send("keep", **sentence, amount="much", do="case"), "got lost on the way")
    refused(client.send("keep", **sentence, amount="1", do="new", label=" "), "1 to 40 letters")


def test_a_moves_start_is_kept_as_a_switch(client):
    client.begin("work_back", case="base", back="/m/1/work_back?case=base")
    sentence = asked(case="base", figure="Lowest cash", lever="start of Second lab", low="Oct 26", high="Mar 28")
    done(client.send("keep", **sentence, amount=str(Month(2027, 9).ordinal), do="case"))
    assert client.model().case("base").switches == (Switch("second_lab", Month(2027, 9)),)
    refused(client.send("keep", **sentence, amount=str(Month(2027, 9).ordinal), do="move", label="A"),
            "about a move already")  # fmt: skip


def several(**more):
    return asked(
        case="worst", lever=["Bridge loan: amount", "Suppliers: days until suppliers are paid from Jan 27"],
        low=["0", "30"], high=["400000", "45"], weight=["1", "2"], **more,
    )  # fmt: skip


def test_several_change_as_little_as_it_takes_and_what_each_moves_adds_up(client):
    query = (
        "case=worst&figure=Lowest+cash&target=0&lever=Bridge+loan%3A+amount&low=0&high=400000&weight=1"
        "&lever=Suppliers%3A+days+until+suppliers+are+paid+from+Jan+27&low=30&high=45&weight=2"
        "&keep_figure=FY27+EBITDA&keep_sense=at+least&keep_target=10000&way=smallest&ask=1"
    )
    page = client.get(f"/m/1/work_back?{query}").text
    assert "Two changes reach it together" in page
    moved = [int(text.replace(",", "")) for text in re.findall(r'class="strong">\+([\d,]+)</td><td class="l', page)]
    total = int(re.search(r'told apart without an order</td><td class="strong">\+([\d,]+)<', page)[1].replace(",", ""))
    assert abs(sum(moved) - total) <= 1
    assert "at least 10,000: 13,7" in page  # what is kept, with its room
    alone = client.piece(f"/m/1/work_back/alone?{query}")
    assert "reaches it alone" in alone
    assert "without it: Bridge loan: amount" in alone
    amounts = re.findall(r'name="amount" value="([^"]+)"', page)
    client.begin("work_back", case="worst", back="/m/1/work_back?case=worst")
    kept = several(keep_figure="FY27 EBITDA", keep_sense="at least", keep_target="10000")
    done(client.send("keep", **kept, amount=amounts, do="case"))
    assert figure_of(client, "lowest_cash", "worst") >= 0
    refused(client.send("keep", **kept, amount=amounts[:1], do="case"), "got lost on the way")


def test_a_lever_of_no_effect_says_so_and_changes_are_told_by_their_own_unit(client):
    """The size of the market moves nothing; told by their own unit, days weigh as much as euros."""
    query = (
        "case=worst&figure=Lowest+cash&target=-200000&lever=Bridge+loan%3A+amount&low=0&high=400000"
        "&lever=Suppliers%3A+days+until+suppliers+are+paid+from+Jan+27&low=30&high=45"
        "&lever=Regional+testing+market%3A+share+expected&low=-20+%25&high=%2B20+%25&way=smallest&ask=1"
    )
    page = client.get(f"/m/1/work_back?{query}").text
    assert "does nothing to it" in page
    assert "changes reach it together" in page
    units = client.get(f"/m/1/work_back?{query}&measure=units").text
    days = [float(re.search(r'class="found">([\d.]+)</span></td><td>\+[\d.]+</td><td class="text-muted">30<', each)[1])
            for each in (page, units)]  # fmt: skip
    assert days[1] > days[0]  # a day is one of its unit, a euro too


def test_in_proportion_each_goes_the_same_share_of_its_way(client):
    """From 0 to 400,000 and from 30 to 45 days: the shares gone are the same."""
    query = (
        "case=worst&figure=Lowest+cash&target=0&lever=Bridge+loan%3A+amount&low=0&high=400000"
        "&lever=Suppliers%3A+days+until+suppliers+are+paid+from+Jan+27&low=30&high=45&way=together&ask=1"
    )
    page = client.get(f"/m/1/work_back?{query}").text
    loan, days = (float(t.replace(",", "")) for t in re.findall(r'</td><td class="text-muted">[\d,]+</td><td class="strong">([\d,.]+)<', page)[:2])  # fmt: skip  # noqa: E501
    assert loan / 400000 == pytest.approx((days - 30) / 15, abs=0.002)
    assert "% of the way" in page


def test_assumptions_and_conditions_are_added_and_left_out(client):
    client.begin("work_back", case="worst", back="/m/1/work_back?case=worst")
    more = client.send("ask", **asked(case="worst"), do="lever")
    assert more.headers["Location"].count("lever=") == 2
    kept = client.send("ask", **asked(case="worst"), do="condition")
    assert "keep_figure=FY27+revenue" in kept.headers["Location"]
    less = client.send("ask", **several(), do="drop-lever-0")
    assert "Bridge" not in less.headers["Location"]
    assert "ask=1" not in less.headers["Location"]
    refused(client.send("keep", **several(target="?"), amount=["1", "2"], do="case"), "Expected a number")


def test_questions_asked_are_listed_and_asked_again_after_an_edit(client):
    client.begin("work_back", case="worst", back="/m/1/work_back?case=worst")
    reply = client.send("ask", **asked(case="worst"))
    assert "ask=1" in reply.headers["Location"]
    page = client.read("?case=worst")
    assert "Lowest cash at least 0, by Bridge loan: amount in Worst" in page
    assert "Bridge loan: amount 266,900 EUR" in page
    assert "before later edits" not in page
    done(client.send("keep", **asked(case="worst"), amount="266900", do="case"))
    assert "before later edits" in client.read("?case=worst")
    client.send("ask", **asked(case="worst"))
    assert client.read("?case=worst").count("by Bridge loan: amount in Worst") == 1  # asked twice, listed once
    client.send("ask", **asked(case="worst", target="?"))
    assert client.read("?case=worst").count("data-step") >= 1


def test_a_goal_is_kept_shown_on_the_lookout_and_forgotten(client):
    client.begin("work_back", case="worst", message_at="sentence", back="/m/1/work_back?case=worst")
    done(client.send("ask", **asked(case="worst", figure="EBITDA in FY28", target="50000"), do="pin"))
    goal = client.model().goals[-1]
    assert (goal.target, goal.case) == (50000, "worst")
    assert client.model().figure(goal.figure).label == "EBITDA in FY28"
    lookout = client.get("/m/1/lookout?case=worst").text
    assert "EBITDA in FY28 at least 50,000" in lookout
    assert "no longer" in lookout  # the demo's own: never under the waterline in Worst
    refused(client.send("ask", **asked(case="worst", figure="EBITDA in FY28", target="50000"), do="pin"),
            "kept already")  # fmt: skip
    refused(client.send("ask", **asked(case="worst", figure="nothing such"), do="pin"), "asked for like")
    done(client.send("unpin", name=goal.name))
    assert goal.name not in {each.name for each in client.model().goals}
    done(client.post("/m/1/undo", data={"back": "/m/1/work_back"}))
    assert goal.name in {each.name for each in client.model().goals}
    assert client.send("unpin", name="moon").status_code >= 400


def test_ready_questions_are_answered_one_by_one_and_truly(client, monkeypatch):
    monkeypatch.setattr(WARM, lambda: False)
    client.begin("work_back")
    page = client.read("?case=base")
    count = page.count(">work it out</button>")  # without the machine each waits to be asked
    rows = [plain(client.piece(f"/m/1/work_back/ready?case=base&number={number}")) for number in range(count)]
    assert count > 10
    assert all(re.search(r'class="strong[^"]*">[^<]+<', row) for row in rows)
    floor = next(row for row in rows if "Kit price" in row and "How low" in row)
    fall = float(re.search(r'class="strong[^"]*">−([\d.]+) %<', floor)[1]) / 100
    plan = client.plan()
    profit = plan.model.figure("ebitda_2027")
    lists = [(*plan.model.changes_of("base"), Change("kit_price", Operation.SCALE, 1 - fall - by)) for by in (0, 0.002)]
    holds, broken = figure_amounts(plan, lists, profit)
    assert holds >= 0 > broken
    url = re.search(r'href="([^"]+)"', floor)[1].replace("&amp;", "&")
    assert "Already there" in client.get(url).text
    worst = [plain(client.piece(f"/m/1/work_back/ready?case=worst&number={number}")) for number in range(count)]
    assert any("out of reach" in row or "no month" in row for row in worst)
    assert client.get("/m/1/work_back/ready?number=99").status_code == 404


def test_a_model_without_lines_opens_with_words_instead_of_questions(client):
    client.post("/models/new", data={"name": "Bare", "currency": "EUR", "start": "Jan 27", "months": "12",
                                     "fiscal_year_start": "1"})  # fmt: skip
    page = client.get("/m/2/work_back")
    assert page.status_code == 200
    assert "Questions ready to ask come with" in page.text
    assert "none yet: “keep as a goal”" in page.text


def test_what_else_could_reach_it_is_ranked_and_asked_at_once(client):
    query = "case=base&figure=FY27+EBITDA&target=260000&lever=rent&low=5000&high=9000&ask=1"
    rows = client.piece(f"/m/1/work_back/instead?{query}")
    shares = [int(text) for text in re.findall(r">(\d+) % of the way", rows)]
    assert shares == sorted(shares)
    assert len(shares) >= 3
    url = re.search(r'href="([^"]+)"', rows)[1].replace("&amp;", "&")
    assert 'id="amount"' in client.get(url).text


@pytest.mark.parametrize("case", ["best", "worst"])
def test_a_sketch_in_base_is_seen_in_every_case_as_it_would_be_under_it(client, case):
    before = client.get(f"/m/1/compare?case={case}").text
    client.begin("drivers", case="base", back="/m/1/drivers?case=base")
    client.post("/m/1/sketch/start", data={"case": "base", "back": "/m/1/drivers?case=base"})
    client.post("/m/1/roots/try", data={
        "line": "rent", "at": "", "case": "base", "month": "2026-09", "value": "+5000", "back": "/m/1/roots?line=rent",
    })  # fmt: skip
    sketched = client.get("/m/1/compare?case=base").text
    client.post("/m/1/sketch/keep", data={"way": "case", "seen": str(client.revision()), "back": "/m/1/compare"})
    kept = client.get("/m/1/compare?case=base").text

    def figures(page):
        return re.findall(r'hx-target="#roots">(?:<span class="when">[^<]*</span> )?([^<]+)<', page)

    assert figures(sketched) == figures(kept) != figures(before)


@pytest.mark.browser
def test_a_question_is_asked_by_key_answered_kept_and_taken_back(page, address, monkeypatch):
    """Down from the first question, Enter; then a loan for Worst from the sentence, kept, and back."""
    monkeypatch.setattr(WARM, lambda: False)
    page.goto(f"{address}/m/1/work_back?case=base")
    page.get_by_role("button", name="work it out").first.click()
    page.locator("#ready-0").wait_for(timeout=60_000)
    page.locator("[data-step]").first.focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.locator("#amount").wait_for(timeout=60_000)
    assert page.locator("#own-unit").inner_text().startswith("47.44 → ")
    page.goto(f"{address}/m/1/work_back?case=worst")
    page.get_by_label("To amount").fill("600000")
    page.keyboard.press("Enter")
    page.locator("#amount").wait_for(timeout=60_000)
    assert page.locator("#amount").inner_text() == "266,900"
    assert "ask=1" in page.url  # so that it can be reloaded, kept and sent to somebody
    page.locator(".by-case").wait_for(timeout=60_000)
    assert "already there" in page.locator(".by-case").inner_text()
    page.get_by_role("button", name="Keep in Worst").click()
    page.get_by_text("Already there: Lowest cash is 71 in Worst").wait_for(timeout=60_000)
    page.locator(".by-case").wait_for(timeout=60_000)
    with page.expect_response("**/undo", timeout=60_000) as undone:  # worked out anew, without the machine
        page.keyboard.press("Control+z")
    assert undone.value.ok
    page.locator("#amount").wait_for()


@pytest.mark.browser
def test_enter_in_a_field_of_several_asks_and_leaves_nothing_out(page, address):
    page.goto(f"{address}/m/1/work_back?case=worst")
    page.get_by_label("Assumption", exact=True).fill("Bridge loan: amount")
    page.get_by_role("button", name="another assumption").click()
    page.get_by_label("Assumption 2").fill("Suppliers: days until suppliers are paid from Jan 27")
    page.get_by_label("From amount 2").fill("30")
    page.get_by_label("To amount 2").fill("45")
    page.keyboard.press("Enter")
    page.locator("#several-answer").wait_for(timeout=60_000)
    assert page.get_by_label("Assumption 2").input_value().startswith("Suppliers")
    page.get_by_role("button", name="Leave out Suppliers").click()
    page.get_by_label("Assumption 2").wait_for(state="detached")
    page.get_by_label("Assumption", exact=True).fill("start of Second lab")
    page.keyboard.press("Tab")
    assert page.get_by_label("From amount").input_value() == ""  # the loan's range is no range of months


def test_worth_is_shown_with_its_steps_rates_cases_and_moves(client):
    """The owners' figure is the business less net debt, and is the middle of the table; each step leads to Roots."""
    page = client.get("/m/1/work_back?view=worth&case=base").text
    shown = [
        int(t.replace(",", "").replace("−", "-")) for t in re.findall(r'class="strong"><a[^>]*>([−\d,]+)</a>', page)
    ]
    plan_part, beyond, business, debt, owners = shown[:5]
    assert plan_part + beyond == pytest.approx(business, abs=1)
    assert business + debt == pytest.approx(owners, abs=1)
    assert re.search(r'class="is-now">([\d,]+)<', page)[1] == re.search(r'id="worth">([\d,]+)<', page)[1]
    assert "of the business lies beyond the plan" in page
    url = re.search(r'href="(/m/1/roots[^"]+worth_business[^"]+)"', page)[1].replace("&amp;", "&")
    assert client.get(url).status_code == 200
    moves = client.piece("/m/1/work_back/moves?case=base")
    assert "Price rise 6 %" in moves
    assert "takes nothing" in moves or re.search(r"<td>\d+\.\d\d</td></tr>", moves)


def test_a_business_is_valued_from_a_few_fields_once(client):
    client.post("/models/new", data={"name": "Bare", "currency": "EUR", "start": "Jan 27", "months": "24",
                                     "fiscal_year_start": "1", "last_actual": "", "dimensions": ""})  # fmt: skip
    assert "What is the business worth?" in client.get("/m/2/work_back?view=worth").text
    client.begin("work_back", message_at="value", case="base", back="/m/2/work_back?view=worth")
    fields = {"rate": "11 %", "within_month": "middle", "beyond": "growth", "growth": "1 %", "multiple": "6",
              "leases": "debt"}  # fmt: skip
    refused(client.send("value", 2, **fields | {"rate": "dear"}), "The discount rate is a share a year")
    refused(client.send("value", 2, **fields | {"growth": ""}), "Growth is a share a year")
    done(client.send("value", 2, **fields))
    model = client.model(2)
    assert model.schedules[0].settings == {"rate": 0.11, "within_month": "middle", "beyond": "growth",
                                           "leases": "debt", "growth": 0.01}  # fmt: skip
    assert model.figures[-1].label == "Worth to the owners"
    assert "worth nothing by its own flows" in client.get("/m/2/work_back?view=worth").text
    refused(client.send("value", 2, **fields), "valued already")


def test_ready_questions_answer_themselves_once_the_machine_is_there(client, monkeypatch):
    monkeypatch.setattr(WARM, lambda: True)
    page = client.get("/m/1/work_back?case=base").text
    assert page.count('<span class="working">working</span>') > 10
    assert ">work it out<" not in page


def test_a_piece_that_takes_long_holds_no_request_and_asks_again(client, monkeypatch):
    """The rest of the page goes on; the piece says it is being worked out, and is there when asked for again."""
    go = Event()
    real = ready.answer_row

    def late(view, number):
        worked_out(view, ("late",), lambda told: go.wait(20))
        return real(view, number)

    monkeypatch.setattr("widefork.web.pages.work_back.routes.answer_row", late)
    waiting = client.get("/m/1/work_back/ready?number=0&case=base").text
    assert 'class="working"' in waiting
    assert "How low may" in waiting  # the question stays, and leads to its answer
    again = re.search(r'hx-get="([^"]+)"', waiting)[1].replace("&amp;", "&")
    assert "number=0" in again
    go.set()
    assert 'id="ready-0"' in client.piece(again)
