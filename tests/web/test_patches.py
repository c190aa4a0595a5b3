"""What is sent of a page after an edit makes the page that is shown into the page there is."""

from hypothesis import given
from hypothesis import strategies as st

from tests.kit.desk import HTMX
from tests.kit.gestures import gesture
from widefork.web.shared.patches import PagesSent, read_parts

words = st.text(alphabet="abc <>&", max_size=4)
rows = st.dictionaries(st.sampled_from(["r1", "r2", "r3", "r4"]), words, max_size=4)
sections = st.dictionaries(st.sampled_from(["one", "two"]), st.tuples(words, rows), max_size=2)
pages = st.tuples(st.sampled_from(["x", "y"]), words, sections, words)


def part(name, tag, inside):
    return f'<!--part:{name}--><{tag} id="{name}">{inside}</{tag}><!--/part-->'


def written(page):
    """A page: something around a part of two kinds of parts, one beside it."""
    around, head, inner, foot = page
    text = ""
    for name, (title, found) in inner.items():
        text += part(name, "div", title + "".join(row_of(name, *row) for row in found.items()))
    return around + part("main", "main", head + text) + part("foot", "p", foot)


def row_of(section, name, text):
    return f'<tr id="{section}-{name}">{text}</tr>'


def patched(shown, patch):
    """A page with what was sent put in place: each piece replaces the element of its id."""
    for piece in patch.split("<template data-patch=")[1:]:
        name, _, rest = piece.partition(">")
        name, body = name.strip('"'), rest.removesuffix("</template>")
        shown = put(shown, name, body)
    return shown


def put(shown, name, body):
    begin = next(place for tag in ("tr", "div", "main", "p") if (place := shown.find(f'<{tag} id="{name}">')) >= 0)
    tag = shown[begin + 1 :].split(" ", 1)[0]
    end = shown.index(f"</{tag}>", begin) + len(f"</{tag}>")
    return shown[:begin] + body + shown[end:]


@given(pages, pages)
def test_a_patch_makes_the_page_shown_into_the_page_there_is(before, after):
    sent = PagesSent()
    first, is_patch = sent.send(written(before) + "shown-token", "")
    assert not is_patch
    shown, token = first[:-16], first[-16:]
    assert shown == read_parts(written(before)).text
    second, is_patch = sent.send(written(after) + "shown-token", token)
    if not is_patch:
        assert second[:-16] == read_parts(written(after)).text
        return
    # the token stands outside all parts here, so that any patch is of the parts alone
    assert patched(shown, second) == read_parts(written(after)).text


@given(pages)
def test_of_a_page_that_is_the_same_nothing_is_sent(page):
    sent = PagesSent()
    first, _ = sent.send(written(page) + "shown-token", "")
    assert sent.send(written(page) + "shown-token", first[-16:]) == ("", True)


def test_a_piece_loaded_by_itself_counts_as_shown():
    sent = PagesSent()
    page = '<!--part:a--><div id="a">{}</div><!--/part-->shown-token'
    first, _ = sent.send(page.format("empty"), "")
    assert sent.add('<!--part:a--><div id="a">full</div><!--/part-->', first[-16:]) == '<div id="a">full</div>'
    again, is_patch = sent.send(page.format("empty"), first[-16:])
    assert is_patch
    assert again == '<template data-patch="a"><div id="a">empty</div></template>'


def token_of(page):
    return page.split('data-shown="')[1].split('"')[0]


def edit(client, value, **headers):
    data = gesture(value=value, reach="on", seen=str(client.revision())) | {"back": "/m/1/drivers?open=kit_price"}
    return client.post("/m/1/drivers/cells", data=data, headers={**HTMX, "HX-Target": "body", **headers})


def test_an_edit_is_answered_in_one_round_with_what_changed(client):
    page = client.get("/m/1/drivers?open=kit_price").text
    reply = edit(client, "52", **{"X-Shown": token_of(page)})
    assert (reply.status_code, reply.headers["X-Patch"]) == (200, "1")
    assert 'data-patch="row-kit_revenue"' in reply.text
    assert 'data-patch="watch"' in reply.text
    assert 'data-patch="row-rent"' not in reply.text
    assert len(reply.text) < len(page) / 5
    again = edit(client, "53", **{"X-Shown": token_of(reply.text)})
    assert again.headers["X-Patch"] == "1"


def test_a_page_nobody_remembers_is_sent_whole_and_a_plain_form_is_led_on(client):
    reply = edit(client, "52", **{"X-Shown": "0123456789abcdef"})
    assert reply.status_code == 200
    assert "X-Patch" not in reply.headers
    assert "<html" in reply.text
    assert client.post("/m/1/drivers/cells", data=gesture(value="53", reach="on", seen="1")).status_code == 303


def test_a_page_that_cannot_be_shown_does_not_make_the_edit_unmade(client, monkeypatch):
    def fail(*_):
        raise RuntimeError("a fault of the page")

    monkeypatch.setattr("widefork.web.pages.drivers.routes.build", fail)
    reply = edit(client, "52", **{"X-Shown": "0123456789abcdef"})
    assert client.revision() == 1
    assert reply.status_code in (303, 500)
    assert "Nothing was changed" not in reply.text


def test_what_is_refused_stays_a_message(client):
    page = client.get("/m/1/drivers").text
    reply = edit(client, "many", **{"X-Shown": token_of(page)})
    assert reply.status_code == 422
    assert "X-Patch" not in reply.headers
