"""Whatever is sent, the server answers in words and the stored model can still be computed."""

import re

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from tests.kit.declared import FOUND_BY, LENS, forms
from tests.kit.desk import demo_app
from tests.kit.laws import law
from widefork.core.finance.assemble import check_plan
from widefork.web.pages import PAGES
from widefork.web.shared.page import SENT_ALONG

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
    "growth",
    "monthly",
    "region",
    "Upland",
    "analyst_ramp",
    "0 %, 50 %, 100 %",
    "24",
    "Jan 27",
    "kit_revenue:Coast:2027-03:2027-03~x",
    "root",
    "before",
    "kit_price@Coast",
    "kit_customers",
    "term_loan",
    "lab_assets",
    "Van 1",
    "loan",
    "receivables",
    "simple",
    "suppliers",
    "settled_rent",
    "by_category",
    "people_costs",
    "ebitda",
    "equity_held",
    "share",
    "ratios",
    "49 rising 3 % a year from Jan 2027",
    "Jan 27: 5",
    "2026-07",
    "2026-06",
    "Kit revenue\t118250\nCash\t90000\n",
    "leave out",
    "suppliers_paid",
    "put_off",
    "instalments",
    "Apr 27",
    "deposits",
    "units",
    "kits",
    "contracts",
    "outgoings",
    "Samplers Coast",
    "Sampler Coast 4",
    "Lab analysts",
    "role:Sampler",
    "all",
    "pay",
    "more",
    "fewer",
    "Second lab",
    "second_lab",
    "30 60 20 100",
    "sampling 3, chemistry 2",
    "Ada",
    "Coast 6\tSamplers Coast\t\tMar 27\nCoast 7\tSupport\t\tApr 27",
    "name\tteam\tmanager\tsampling\nHilde\tSupport\tOkan\t3",
    "-10 % to +5 %",
    "[]",
    '{"kind": "type", "rows": [["rent", ""]], "months": ["2027-01"], "value": "5"}',
    '{"kind": "paste", "rows": [["kit_price", "Coast"]], "months": ["2027-01"], "value": "5\\t(6)\\n"}',
    '{"kind": "clear", "rows": [["rent", ""], ["revenue", ""]], "months": ["2027-01"], "skip": true}',
    '{"kind": "adjust", "rows": [["rent", ""]], "months": ["2027-01"], "value": "1e300 in total"}',
]
anything = st.sampled_from(WORDS) | st.text(max_size=12)
PARTS = {
    "<doing>": ["up", "down", "copy", "remove", "given", "new", "change"],
    "<seal_id>": ["1"],
    "<name>": ["lowest_cash"],
    "<question>": ["units", "price", "counted", "joining", "customers"],
    "<group>.<row>.<question>": [
        "mix.0.name", "mix.0.share", "mix.1.name", "mix.1.price", "contracts.0.name", "contracts.0.fee",
        "contracts.0.start", "contracts.0.end", "costs.3.name", "costs.3.kind", "costs.3.amount", "costs.3.driver",
        "costs.3.start", "tiers.99999999999.name",
    ],
    "<place>.<setting>": ["0.name", "0.salary", "3.ramp_profile", "3.leaving", "teams.0.name", "0.heads", "0.region"],
    "<setting>": [
        "rate", "days", "method", "of", "amount", "drawn_in", "term_months", "limit", "opening_balance",
        "opening_ages", "cost", "bought", "life_months",
    ],
    "<schedule>:<month>": ["kit_customers:0"],
    "<schedule>": ["kit_customers"],
    "<field>": ["base", "rate", "since"],
    "<row>": ["revenue"],
}  # fmt: skip
"""What is tried for the parts that vary of an address or a field."""


def spelled(pattern):
    """An address or field with the part of it that varies filled in, every way that is tried."""
    part = next((part for part in PARTS if part in pattern), "")
    return [pattern.replace(part, tried) for tried in PARTS[part]] if part else [pattern]


FORMS = {
    path: [name for field in (*fields, *SENT_ALONG) for name in spelled(field)]
    for pattern, fields in forms().items()
    for path in spelled(pattern)
}
QUERIES = sorted({*LENS, *FOUND_BY, *(name for page in PAGES for name in page.asks)})
READS = ["find", *(f"{page.name}/{piece}".rstrip("/") for page in PAGES for piece in ("", *page.pieces))]
WHOLE = {page.name for page in PAGES}
NO_TEXT = re.compile(r">\s*[+−-]?(nan|inf|None|Traceback)\s*[<(]")
"""What no reader should ever see between two tags."""
no_limits = law(12)


@pytest.fixture(scope="module")
def app(tmp_path_factory):
    app = demo_app(tmp_path_factory.mktemp("fuzz"))
    app.config["WTF_CSRF_ENABLED"] = False
    return app


@pytest.mark.parametrize("path", READS)
@no_limits
@given(query=st.dictionaries(st.sampled_from(QUERIES), anything, max_size=8))
def test_any_address_is_answered(app, path, query):
    reply = app.test_client().get(f"/m/1/{path}", query_string=query)
    assert reply.status_code in (200, 404, 422)
    if reply.status_code != 200:
        assert re.search(r"[^<>]{12,}[.?]\s*<", reply.text), "no sentence says what is wrong"
    elif reply.mimetype == "text/html":
        assert not NO_TEXT.search(reply.text)
        assert ("<html" in reply.text) == (path in WHOLE)
        assert reply.text.count('id="watch-') >= 5 or path not in WHOLE


def test_every_write_on_a_model_is_among_the_forms(app):
    paths = app.url_map.bind("localhost")
    tried = {paths.match(f"/m/1/{path}", method="POST")[0] for path in FORMS}
    writes = {
        rule.endpoint for rule in app.url_map.iter_rules()
        if "POST" in (rule.methods or ()) and rule.rule.startswith("/m/")
    }  # fmt: skip
    assert writes == tried


@pytest.mark.parametrize("path", FORMS)
@no_limits
@given(data=st.data())
def test_any_form_is_answered_and_leaves_a_model_that_computes(app, path, data):
    form = {name: data.draw(anything, label=name) for name in FORMS[path]}
    form["seen"] = data.draw(st.sampled_from(["0", "99999", "", "x"]), label="seen")
    store = app.extensions["workspace"].store
    before = store.revision(1)
    reply = app.test_client().post(f"/m/1/{path}", data=form)
    assert reply.status_code in (200, 303, 404, 409, 422)
    if store.revision(1) != before:
        assert reply.status_code == 303
        check_plan(store.load(1).model)
    elif reply.status_code in (404, 422):
        assert re.search(r"[^<>]{12,}[.?]\s*<", reply.text), "no sentence says what is wrong"


@no_limits
@given(text=st.text(max_size=60))
@example(text="<script>alert(1)</script>")
def test_what_people_type_is_shown_as_text(app, text):
    client = app.test_client()
    client.post("/person", data={"name": text, "back": "/m/1/log"})
    page = client.get("/m/1/log").text
    assert "<script>alert" not in page
