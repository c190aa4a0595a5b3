"""Seals: a locked copy is made, listed, compared with and brought back, and nothing changes it."""

import pytest
from playwright.sync_api import expect
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError

from tests.kit.desk import HTMX
from widefork.core.errors import InvalidValue, UnknownName
from widefork.demo import demo_text
from widefork.files import FORMATS
from widefork.store.seals import Seals


def seal(client, name="Budget 2027", note="approved by Thea"):
    return client.post("/m/1/seals", data={"name": name, "note": note, "back": "/m/1/seals"}, headers=HTMX)


def change_rent(client, rent="15000"):
    form = {"line": "rent", "phrase": rent, "case": "base", "back": "", "seen": str(client.revision())}
    reply = client.post("/m/1/drivers/rule", data=form)
    assert reply.status_code == 303, reply.text


def test_a_seal_stays_what_it_was_whatever_is_edited(client):
    assert "None yet" in client.get("/m/1/seals").text
    before = client.model()
    assert seal(client).status_code == 303
    change_rent(client)
    assert client.workspace.sealed(1, 1).stored.model == before
    page = client.get("/m/1/seals?open=1").text
    assert "1 edit since" in page
    assert "approved by Thea" in page
    assert "FY27 EBITDA" in page
    assert "Rent" in page


def test_statements_stand_beside_a_seal(client):
    seal(client)
    change_rent(client)
    page = client.get("/m/1/statements?beside=seal-1&from=2027-01&to=2027-03").text
    assert "difference to “Budget 2027”" in page
    row = page[page.index('id="row-premises_costs"') :]
    assert "+5,800" in row[: row.index("</tr>")]
    assert client.get("/m/1/statements?beside=seal-99").status_code == 200


def test_a_seal_is_brought_back_as_a_model_of_its_own(client):
    before = client.model()
    seal(client)
    change_rent(client)
    reply = client.post("/m/1/seals/1/restore", data={"back": ""})
    assert reply.location == "/m/2/lookout"
    restored = client.model(2)
    assert restored.lines == before.lines
    assert restored.name == "Quillmere Water Labs: Budget 2027"
    assert client.model().line("rent") != before.line("rent")


@pytest.mark.parametrize(
    ("name", "note", "words"),
    [(" ", "", "needs a name"), ("x" * 81, "", "needs a name"),
     ("Budget 2027", "", "already, and nothing changes a seal"), ("Other", "y" * 601, "at most 600 letters")],
)  # fmt: skip
def test_what_cannot_be_sealed_is_said(client, name, note, words):
    seal(client)
    reply = seal(client, name, note)
    assert reply.status_code == 422
    assert words in reply.text


def test_a_seal_at_hand_is_the_one_that_is_stored(client):
    seal(client)
    assert client.workspace.sealed(1, 1).stored.model == FORMATS["yaml"].read(client.workspace.seals.document(1, 1))


def test_not_even_the_database_changes_a_seal(client):
    seal(client)
    engine = client.store.engine
    with pytest.raises(IntegrityError, match="never changed"), engine.begin() as connection:
        connection.execute(text("UPDATE seal SET document = 'x'"))
    assert client.workspace.seals.document(1, 1).startswith("wide_fork: 1")


def test_seals_of_a_model_go_with_it_and_belong_to_it_alone(client):
    seal(client)
    seals = Seals(client.store)
    with pytest.raises(UnknownName):
        seals.document(2, 1)
    with pytest.raises(UnknownName):
        seals.seal(99, "Ines", "A", "", demo_text("quillmere"))
    with pytest.raises(InvalidValue):
        seals.seal(1, "Ines", "", "", "")
    client.store.delete(1)
    assert seals.of(1) == ()


def test_a_seal_once_opened_is_still_no_seal_of_another_model(client):
    seal(client)
    assert client.get("/m/1/statements?beside=seal-1").status_code == 200
    other = client.store.create(client.model())
    for model_id in (other, 99):
        reply = client.post(f"/m/{model_id}/seals/1/restore", data={"back": ""})
        assert reply.status_code in (404, 422)
        assert "There is no" in reply.text
    assert client.get(f"/m/{other + 1}/lookout").status_code == 404


def test_while_a_sketch_is_on_nothing_is_sealed(client):
    client.post("/m/1/sketch/start", data={"case": "base", "back": ""})
    assert "Keep or drop the sketch first" in seal(client).text


def test_sealing_in_the_browser(page, address):
    page.goto(f"{address}/m/1/seals")
    page.get_by_label("Name of a new seal").fill("Budget 2027, as approved")
    page.keyboard.press("Enter")
    page.get_by_role("link", name="Budget 2027, as approved").click()
    expect(page.get_by_role("heading", name="Edited since")).to_be_visible()
    page.get_by_role("link", name="Statements beside this seal").click()
    expect(page.get_by_label("Beside each figure")).to_have_value("seal-1")
