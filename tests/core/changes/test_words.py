import pytest
from hypothesis import given
from hypothesis import strategies as st

from widefork.core.axes import Dimension, Month
from widefork.core.changes import BARE, Change, Operation
from widefork.core.changes.words import EXAMPLE, read_change, write_change
from widefork.core.errors import InvalidValue, WideforkError

REGION = Dimension("region", ("Coast", "North shore"))
months = st.none() | st.builds(Month, st.integers(2000, 2099), st.integers(1, 12))
amounts = st.floats(-1e6, 1e6).map(lambda v: round(v, 3))


@st.composite
def changes(draw):
    operation = draw(st.sampled_from(list(Operation)))
    amount = {
        **dict.fromkeys(BARE, st.just(0.0)),
        Operation.DELAY: st.integers(0, 9).map(float),
        Operation.DEFER: st.floats(0, 1),
    }
    defers = operation is Operation.DEFER
    return Change(
        draw(st.sampled_from(["kit_price", "价格", "x2"])),
        operation,
        draw(amount.get(operation, amounts)),
        draw(st.sampled_from([(), (("region", "Coast"),), (("region", "North shore"), ("region", "Coast"))])),
        draw(months),
        draw(months.filter(bool) if defers else months),
        "",
        draw(st.integers(1, 9)) if defers else 0,
        draw(st.sampled_from([1.0, 0.25])),
    )


@given(changes())
def test_a_change_reads_back_from_its_words(change):
    assert read_change(write_change(change), (REGION,)) == change


@given(st.text(max_size=40) | st.text(alphabet="kit_price at Coast scale 105 from 2027-01%", max_size=40))
def test_any_phrase_is_read_or_refused_in_words(text):
    try:
        read = read_change(text, (REGION,))
    except WideforkError as fault:
        said = str(fault)
    else:
        said = write_change(read)
    assert said


def test_the_example_in_the_messages_can_be_read():
    assert read_change(EXAMPLE, (REGION,)).amount == 1.05
    with pytest.raises(InvalidValue, match="is written like"):
        read_change("raise kit_price", ())
