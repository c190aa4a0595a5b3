from urllib.parse import parse_qsl, urlsplit

import pytest
from hypothesis import given
from hypothesis import strategies as st
from werkzeug.datastructures import MultiDict

from tests.kit.small import given as assumption
from tests.kit.small import model_of
from widefork.core.axes import Grain, Month
from widefork.core.changes import Case
from widefork.web.shared.address import COLUMNS_SHOWN, read_address

CASES = (Case("base", "Base"), Case("best", "Best", "base"))
MODEL = model_of(assumption("x", 1), months=36, actual_to=Month(2026, 6), cases=CASES)


def read(query, page="drivers"):
    return read_address(MultiDict(query), 1, page, MODEL)


places = st.integers(0, 35)


@given(places, places, st.sampled_from(list(Grain)), st.sampled_from(["base", "best"]), st.text(max_size=8))
def test_an_address_reads_back_what_it_says(one, two, grain, case, opened):
    first, last = sorted((Month(2026, 1).plus(one), Month(2026, 1).plus(two)))
    query = [("case", case), ("from", str(first)), ("to", str(last)), ("by", grain.value), ("open", opened)]
    address = read(query)
    assert (address.grain, address.case) == (grain, case)
    assert address.first <= first <= last <= address.last
    if grain is Grain.MONTH:
        assert (address.first, address.last) == (first, last)
    else:  # the calendar's quarters and years, none of them cut
        size = {Grain.QUARTER: 3, Grain.YEAR: 12}[grain]
        assert (address.first.month - 1) % size == 0
        assert address.last.month % size == 0
    again = read(parse_qsl(urlsplit(address.url()).query, keep_blank_values=True))
    assert again == address or not opened
    assert again.url() == address.url()


def test_what_is_left_out_shows_the_boundary_and_a_year_on():
    address = read([])
    assert (address.first, address.case, address.grain) == (Month(2026, 4), "base", Grain.MONTH)
    assert len(address.columns(MODEL.timeline)) == COLUMNS_SHOWN


@pytest.mark.parametrize(
    "query",
    [{"case": "nobody"}, {"from": "soon"}, {"to": "1999-01"}, {"by": "week"}, {"since": "x"}, {"from": "2099-01"}],
)
def test_rubbish_in_an_address_takes_the_usual_value(query):
    address = read(query)
    assert address.case == "base"
    assert MODEL.timeline.start <= address.first <= address.last <= MODEL.timeline.end
    assert address.since is None


def test_a_page_keeps_its_own_words_and_others_drop_them():
    address = read([("open", "kits"), ("since", "4"), ("figure", "a"), ("figure", "b")])
    assert "open=kits" in address.url()
    assert "figure=a&figure=b" in address.url()
    assert "since" not in address.url()
    assert "open" not in address.url("statements")
    assert address.url(open="price").count("open=") == 1
    assert "case=best" in address.url(case="best")
