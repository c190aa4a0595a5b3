"""Every outgoing on its page: by rhythm, where it comes from, and what is absent brought into the list of costs."""

from playwright.sync_api import expect


def test_outgoings_stand_by_rhythm_and_what_is_absent_is_a_question(client):
    page = client.get("/m/1/outgoings").text
    for rhythm in ("Every month, as agreed", "Every month, with what drives it", "Every quarter", "Every year", "Once"):
        assert rhythm in page
    assert "Running costs: Insurance" in page
    assert "Does nobody learn anything?" in page
    assert "Does nobody pay rent?" not in page


def test_a_model_without_costs_says_what_to_do(client):
    client.post("/models/new", data={"name": "Bare", "currency": "EUR", "start": "Jan 27", "months": "12",
                                     "fiscal_year_start": "1", "last_actual": "", "dimensions": ""})  # fmt: skip
    page = client.get("/m/2/outgoings").text
    assert "No line is charged as a cost yet" in page
    assert "Does nobody pay rent?" in page


def test_what_is_absent_is_added(page, address):
    page.goto(f"{address}/m/1/drivers")
    page.get_by_role("link", name="Every outgoing").click()
    page.get_by_role("link", name="Add Training").click()
    page.wait_for_load_state()
    expect(page.get_by_label("Name, row 1")).to_have_value("Training")
    expect(page.get_by_label("stands under, row 1")).to_have_value("people_costs")
    page.get_by_label("What it is called").fill("Learning")
    page.get_by_label("amount, row 1").fill("6000")
    page.get_by_label("from, or in, row 1").fill("Sep 26")
    page.get_by_role("button", name="Write these lines").click()
    expect(page.locator("#section-learning")).to_be_attached()
    page.goto(f"{address}/m/1/outgoings")
    expect(page.get_by_role("link", name="Learning: Training")).to_be_visible()
    expect(page.get_by_text("Does nobody learn anything?")).to_have_count(0)


def test_what_is_none_of_ours_is_not_asked_again_until_it_is(page, address):
    page.goto(f"{address}/m/1/outgoings")
    page.get_by_role("button", name="Training is not ours").click()
    expect(page.get_by_text("Does nobody learn anything?")).to_have_count(0)
    expect(page.get_by_text("Guest: Training: none of ours")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_text("Does nobody learn anything?")).to_be_visible()
    page.get_by_role("button", name="Training is not ours").click()
    page.get_by_role("button", name="Ask about Training again").click()
    expect(page.get_by_text("Does nobody learn anything?")).to_be_visible()


def test_only_what_is_usual_is_answered(client):
    reply = client.post("/m/1/outgoings/answer", data={"label": "Champagne", "do": "no", "seen": "0"})
    assert reply.status_code == 422
    assert "usual outgoing" in reply.text
