"""Whatever is sent, the server answers in words and the stored model can still be computed."""

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from widefork.core.finance.assemble import check_plan
from widefork.demo import build_demo
from widefork.web.app import create_app
from widefork.web.pages import PAGES

WORDS = [
    "",
    "kit_price",
    "revenue",
    "cash",
    "bridge_loan_amount",
    "panels_done",
    "kits_ordered",
    "base",
    "worst",
    "Coast",
    "Coast/Valley",
    "2026-03",
    "2027-03",
    "2099-01",
    "set",
    "scale",
    "1",
    "-1",
    "0",
    "1e400",
    "nan",
    "inf",
    "+5 %",
    "*0",
    "1,5",
    "lowest_cash",
    "on",
    "only",
    "lowest",
    "first_month",
    "at least",
    "kits_sold *",
    "1 / 0",
    "before(kit_revenue)",
    "yes",
    "pin",
    "remove",
    "/m/1/drivers?case=worst&x=%",
    "//x",
    "\x00",
    "価格",
    "9" * 40,
]
anything = st.sampled_from(WORDS) | st.text(max_size=12)
FORMS = {
    "drivers/cell": ["line", "at", "month", "case", "value", "reach", "seen", "back", "despite", "message_at"],
    "drivers/back": ["line", "at", "case", "seen", "back"],
    "drivers/formula": ["line", "formula", "seen", "back"],
    "work_back/keep": ["case", "line", "operation", "amount", "seen", "back"],
    "compare/figures": ["label", "line", "find", "when", "threshold", "first", "last", "seen", "back"],
    "compare/figures/lowest_cash": ["do", "seen", "back"],
    "undo": ["back"],
    "redo": ["back"],
}
QUERIES = ["case", "from", "to", "by", "since", "open", "show", "line", "at", "start", "end", "way", "figure", "share",
           "against", "sense", "target", "low", "high", "ask", "month"]  # fmt: skip
READS = [page.name for page in PAGES] + ["drivers/cell", "drivers/formula"]
no_limits = settings(deadline=None, max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])


@pytest.fixture(scope="module")
def app(tmp_path_factory):
    app = create_app(tmp_path_factory.mktemp("fuzz"))
    app.config["WTF_CSRF_ENABLED"] = False
    app.extensions["workspace"].store.create(build_demo("quillmere"))
    return app


@pytest.mark.parametrize("path", READS)
@no_limits
@given(query=st.dictionaries(st.sampled_from(QUERIES), anything, max_size=8))
def test_any_address_is_answered(app, path, query):
    reply = app.test_client().get(f"/m/1/{path}", query_string=query)
    assert reply.status_code in (200, 404, 422)
    assert "Traceback" not in reply.text


@pytest.mark.parametrize("path", FORMS)
@no_limits
@given(data=st.data())
def test_any_form_is_answered_and_leaves_a_model_that_computes(app, path, data):
    form = {name: data.draw(anything, label=name) for name in FORMS[path]}
    form["seen"] = data.draw(st.sampled_from(["0", "99999", "", "x"]), label="seen")
    reply = app.test_client().post(f"/m/1/{path}", data=form)
    assert reply.status_code in (303, 404, 409, 422)
    assert "Traceback" not in reply.text
    check_plan(app.extensions["workspace"].store.load(1).model)


@no_limits
@given(text=st.text(max_size=60))
@example(text="<script>alert(1)</script>")
def test_what_people_type_is_shown_as_text(app, text):
    client = app.test_client()
    client.post("/person", data={"name": text, "back": "/m/1/log"})
    page = client.get("/m/1/log").text
    assert "<script>alert" not in page
