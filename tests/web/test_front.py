"""Models: begun, copied, renamed, binned, restored, brought in and taken out; and the frame they stand on."""

from io import BytesIO

import pytest

from tests.kit.desk import HTMX, done
from widefork.core.axes import Month
from widefork.files import FORMATS

NEW = {"name": "Harbour Tests", "currency": "eur", "start": "Jan 2027", "months": "24", "fiscal_year_start": "4",
       "last_actual": "", "dimensions": "Region: North, South\nProduct: Kit"}  # fmt: skip
SALES, REVENUE = {"section": "sales"}, {"label": "Kit revenue", "unit": "EUR"}


def test_a_model_is_begun_from_one_form_and_every_page_shows_it(client):
    reply = client.post("/models/new", data=NEW)
    assert reply.location == "/m/2/frame"
    model = client.model(2)
    assert (model.currency, model.timeline.end, model.timeline.fiscal_year_start) == ("EUR", Month(2028, 12), 4)
    assert [(d.name, d.label, d.members) for d in model.dimensions] == [
        ("region", "Region", ("North", "South")), ("product", "Product", ("Kit",)),
    ]  # fmt: skip
    assert [case.name for case in model.cases] == ["base", "best", "worst"]
    assert sum(figure.is_pinned for figure in model.figures) == 5
    for page in (
        "lookout",
        "frame",
        "drivers",
        "terms",
        "statements",
        "compare",
        "swings",
        "work_back",
        "log",
        "seals",
    ):
        assert client.get(f"/m/2/{page}").status_code == 200


def test_a_whole_small_model_is_built_in_the_browser_alone(client):
    client.post("/models/new", data=NEW)
    for seen, (path, form) in enumerate(
        [
            ("drivers/section/new", {"label": "Sales"}),
            ("drivers/line", {**SALES, "label": "Kits sold", "unit": "kits", "over": "region", "amount": "100"}),
            ("drivers/line", {**SALES, "label": "Kit price", "unit": "EUR/kit", "amount": "40"}),
            ("drivers/line", {**SALES, **REVENUE, "formula": "sum_over(kits_sold) * kit_price"}),
            ("drivers/line", {**SALES, **REVENUE, "line": "kit_revenue", "posts_to": "revenue", "note": "list"}),
        ]
    ):  # fmt: skip
        reply = client.post(f"/m/2/{path}", data={**form, "seen": str(seen), "back": "/m/2/drivers"})
        assert reply.status_code == 303, reply.text
    page = client.get("/m/2/statements").text
    assert "8,000" in page
    assert "all three tie" in page


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"name": " "}, "A model needs a name"), ({"currency": "euro"}, "three letters"),
        ({"start": "soon"}, "The first month: A month is written"), ({"months": "0"}, "1 to 240 months"),
        ({"months": "x"}, "How many months: expected a whole number"),
        ({"dimensions": "Region"}, "Region: Coast, Valley"),
        ({"dimensions": "Region: A, A"}, "listed twice"), ({"last_actual": "Jan 2031"}, "must lie between"),
    ],
)  # fmt: skip
def test_what_a_new_model_cannot_be_is_said_and_the_form_keeps_what_was_typed(client, changed, said):
    reply = client.post("/models/new", data={**NEW, **changed})
    assert reply.status_code == 422
    assert said in reply.text
    assert "Region" in reply.text
    assert len(client.store.shelf.models()) == 1


def test_a_model_is_copied_renamed_binned_restored_and_deleted_only_from_the_bin(client):
    original = client.model()
    client.post("/models/1/copy")
    assert client.model(2).name == "Quillmere Water Labs, copy"
    assert client.model(2).lines == original.lines
    client.post("/models/2/rename", data={"name": "Trial"})
    assert "Trial" in client.get("/models").text
    assert "Move it there first" in client.post("/models/2/forget", headers=HTMX).text
    client.post("/models/2/bin")
    assert [model.name for model in client.store.shelf.models()] == ["Quillmere Water Labs"]
    assert "In the bin" in client.get("/models").text
    client.post("/models/2/restore")
    assert len(client.store.shelf.models()) == 2
    client.post("/models/2/bin")
    client.post("/models/2/forget")
    assert client.store.shelf.binned() == ()
    assert client.post("/models/1/dance").status_code == 422


@pytest.mark.parametrize("name", FORMATS.names)
def test_a_model_taken_out_as_a_file_and_brought_in_again_is_the_same(client, name):
    reply = client.get(f"/m/1/file/{name}")
    assert "quillmere-water-labs" in reply.headers["Content-Disposition"]
    again = client.post("/models/import", data={"file": (BytesIO(reply.data), f"x{FORMATS[name].suffix}")})
    assert again.location == "/m/2/lookout"
    assert client.model(2) == client.model()


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("", b"", "Choose a model file first"), ("plan.xlsx", b"PK", "A model file ends in .yaml, .json"),
        ("plan.yaml", b"\xff\xfe", "is not text"), ("plan.yaml", b"wide_fork: 1", "model"),
        ("plan.json", b"[", "line 1"),
    ],
)  # fmt: skip
def test_a_file_that_is_no_model_is_said(client, name, data, said):
    reply = client.post("/models/import", data={"file": (BytesIO(data), name)})
    assert reply.status_code == 422
    assert said in reply.text
    assert len(client.store.shelf.models()) == 1


def frame(client, doing, **form):
    sent = {"seen": str(client.revision()), "back": "/m/1/frame", **form}
    return client.post(f"/m/1/frame/{doing}", data=sent, headers=HTMX)


FRAME_EDITS = {
    "timeline": ({"months": "48", "last_actual": "Jul 26", "fiscal_year_start": "7"}, "ends in Dec 29"),
    "model": ({"name": "Quillmere"}, "now called Quillmere"),
    "add_dimension": ({"label": "Contract", "members": "Harbour works, Northern network"}, "Contract: a dimension"),
    "rename_dimension": ({"dimension": "region", "label": "Area", "name": "area"}, "now called Area"),
    "add_member": ({"dimension": "region", "label": "Delta"}, "Delta: new in"),
    "rename_member": ({"dimension": "region", "member": "Coast", "label": "Sea side"}, "Coast: now called Sea side"),
    "describe_member": (
        {"dimension": "region", "member": "Coast", "attribute": "Opened in", "value": "2019"}, "nothing to 2019"),
    "move_member": ({"dimension": "region", "member": "Coast", "way": "down"}, "moved down"),
    "retire_member": ({"dimension": "region", "member": "Upland", "month": "Jan 28"}, "retired from Jan 28"),
    "remove_member": ({"dimension": "equipment", "member": "Van 2"}, "removed from"),
    "add_profile": ({"label": "Slow start", "amounts": "0 %, 12,5 %, 100 %"}, "Slow start: a new profile"),
    "change_profile": ({"profile": "analyst_ramp", "label": "Ramp", "amounts": "0 50 100"}, "0 %, 50 %, 100 %"),
    "unit": ({"unit": "panels", "decimals": "1", "one": "panel"}, "Unit panels: one panel, 1 decimal"),
    "add_flag": ({"label": "In season", "months": "Jun, july aug", "first": "Jan 27"}, "a new flag"),
}  # fmt: skip


@pytest.mark.parametrize("doing", FRAME_EDITS)
def test_every_edit_of_the_frame_is_made_shown_and_undone(client, doing):
    before = client.model()
    form, said = FRAME_EDITS[doing]
    reply = frame(client, doing, **form)
    assert reply.status_code == 303, reply.text
    assert said in client.store.log(1)[0].sentence
    assert client.get("/m/1/frame").status_code == 200
    client.store.undo(1, "Guest")
    assert client.model() == before


@pytest.mark.parametrize(
    ("doing", "form", "said"),
    [
        ("timeline", {"months": "500"}, "1 to 240 months"), ("timeline", {"months": "many"}, "how many months"),
        ("timeline", {"months": "36", "start": "Jan 25"}, "has actuals or history"),
        ("add_dimension", {"label": "Site", "members": ""}, "at least one member"),
        ("add_member", {"dimension": "planet", "label": "x"}, "dimension"),
        ("add_member", {"dimension": "region"}, "needs a name"),
        ("retire_member", {"dimension": "region", "member": "Coast"}, "Say from which month"),
        ("remove_profile", {"profile": "analyst_ramp"}, "is used by"),
        ("add_profile", {"label": "x", "amounts": ""}, "percentages"),
        ("unit", {"unit": "panels", "decimals": "7"}, "expected 0 to 6 decimals"),
        ("unit", {"unit": "panels", "decimals": "two"}, "How many decimals?"),
        ("unit", {"unit": "EUR/kit", "one": "x"}, "One and many are a word each"),
        ("unit", {"unit": "", "decimals": "2"}, "needs its word"),
        ("add_flag", {"label": "x", "months": "Smarch"}, "months of the year"),
        ("add_flag", {"label": "x", "first": "Jan 27", "last": "Jan 26"}, "before it begins"),
        ("dance", {}, "knows no"),
    ],
)  # fmt: skip
def test_what_the_frame_cannot_be_is_said(client, doing, form, said):
    reply = frame(client, doing, **form)
    assert reply.status_code == 422
    assert said in reply.text
    assert client.store.revision(1) == 0


@pytest.mark.parametrize(
    ("said", "meant"),
    [("0 %, 12,5 %, 100 %", (0, 0.125, 1)), ("0 50 100", (0, 0.5, 1)), ("0; 2.5; 100 %", (0, 0.025, 1))],
)
def test_percentages_of_a_profile_are_read_in_either_decimal_style(client, said, meant):
    frame(client, "add_profile", label="Slow start", amounts=said)
    assert client.model().profiles[-1].values == pytest.approx(meant)


def test_what_is_about_a_member_is_shown_before_it_goes_and_flows_end_when_it_retires(client):
    page = client.get("/m/1/frame").text
    assert "What is about Upland" in page
    assert "Kit price: its rule" in page
    frame(client, "retire_member", dimension="region", member="Upland", month="Jan 28")
    model = client.model()
    values = model.line("kits_ordered").rules[("Upland",)].values(model.timeline)
    assert values[23] > 0
    assert values[24:].tolist() == [0] * 12
    assert model.line("kit_price").rules[("Upland",)].values(model.timeline)[-1] > 0


def test_a_unit_shown_with_decimals_is_shown_so_everywhere_at_once(client):
    before = client.get("/m/1/drivers?from=2026-09&to=2026-12").text
    assert client.get("/m/2/drivers").status_code == 404
    done(frame(client, "unit", unit="kits", decimals="2"))
    after = client.get("/m/1/drivers?from=2026-09&to=2026-12").text
    month = client.plan().model.timeline.index(Month.parse("2026-09"))
    sold = client.workspace.now(1).results.values("kits_sold")[..., month, 0].sum()
    assert f"{sold:,.0f}" in before
    assert f"{sold:,.2f}" in after
    assert f"{sold:,.2f}" not in before
    client.post("/m/1/undo", data={"back": ""})
    assert f"{sold:,.2f}" not in client.get("/m/1/drivers?from=2026-09&to=2026-12").text
