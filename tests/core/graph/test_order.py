from hypothesis import given
from hypothesis import strategies as st

from widefork.core.graph.order import Needs, order_lines

NAMES = [f"line{i}" for i in range(8)]


@st.composite
def dependencies(draw):
    """What each of some lines reads: anything, loops included."""
    some = st.frozensets(st.sampled_from([*NAMES, "given"]), max_size=3)
    return {name: Needs(draw(some), draw(some), draw(some)) for name in NAMES}


@given(dependencies())
def test_every_line_is_ordered_after_what_it_reads_or_lies_in_a_named_loop(needs):
    steps, loops = order_lines(needs)
    ordered = [name for step in steps for name in step.lines]
    looped = {name for loop in loops for name in loop.path}
    assert len(ordered) == len(set(ordered))
    missing = set(NAMES) - set(ordered)
    assert bool(missing) == bool(loops)
    assert looped <= missing
    place = {name: i for i, step in enumerate(steps) for name in step.lines}
    for step in steps:
        for position, name in enumerate(step.lines):
            for other in needs[name].same_month & place.keys():
                assert place[other] < place[name] or other in step.lines[:position]
            for other in needs[name].earlier & place.keys():
                assert place[other] <= place[name]
            for other in needs[name].later & place.keys():
                assert place[other] < place[name]
            if not step.is_stepped:
                assert name not in needs[name].names


@given(dependencies())
def test_a_loop_is_a_path_that_really_closes(needs):
    for loop in order_lines(needs)[1]:
        assert loop.path[0] == loop.path[-1]
        assert len(loop.path) >= 2
        for one, two in zip(loop.path, loop.path[1:], strict=False):
            assert two in (needs[one].names if loop.looks_ahead else needs[one].same_month)
        assert not loop.looks_ahead or loop.path[1] in needs[loop.path[0]].later


def test_reading_ones_own_past_is_a_step_of_its_own_kind():
    needs = {"cash": Needs(frozenset({"flow"}), frozenset({"cash"})), "flow": Needs(frozenset(), frozenset())}
    steps, loops = order_lines(needs)
    assert [(step.lines, step.is_stepped) for step in steps] == [(("flow",), False), (("cash",), True)]
    assert loops == ()


def test_lines_that_look_ahead_on_each_other_are_a_loop_in_words():
    needs = {"x": Needs(frozenset(), frozenset(), frozenset({"y"})), "y": Needs(frozenset(), frozenset({"x"}))}
    steps, (loop,) = order_lines(needs)
    assert steps == ()
    assert loop.path == ("x", "y", "x")
    assert "looks ahead to y, which needs x" in loop.sentence
