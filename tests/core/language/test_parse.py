import pytest
from hypothesis import given
from hypothesis import strategies as st

from widefork.core.axes import Month
from widefork.core.errors import FormulaError
from widefork.core.language import syntax
from widefork.core.language.parse import parse
from widefork.core.language.printing import print_formula
from widefork.core.language.rename import rename_in_formula
from widefork.core.language.wording import WORDINGS

names = st.sampled_from(["kits", "kit_price", "attrition", "αξία", "价格", "x2"])
leaves = st.one_of(
    st.builds(syntax.Name, names),
    st.builds(syntax.Number, st.sampled_from([0.0, 1.0, 2.5, 1000.0, 0.001, 123456789.0])),
    st.builds(lambda v: syntax.Number(v / 100, True), st.sampled_from([5.0, 12.5, 100.0])),
    st.builds(syntax.MonthLiteral, st.builds(Month, st.integers(2000, 2099), st.integers(1, 12))),
    st.builds(syntax.At, names, st.sampled_from(["Coast", "North shore", "2nd"])),
)
trees = st.recursive(
    leaves,
    lambda inner: st.one_of(
        st.builds(
            syntax.Operation,
            st.sampled_from(["+", "-", "*", "/", "^", "<", ">=", "=", "!=", "and", "or"]),
            inner,
            inner,
        ),
        st.builds(syntax.Negative, inner),
        st.builds(syntax.Negation, inner),
        st.builds(syntax.Conditional, inner, inner, inner),
        st.builds(syntax.Call, st.sampled_from(["before", "max"]), st.lists(inner, min_size=1, max_size=3).map(tuple)),
    ),
    max_leaves=12,
)


@given(trees)
def test_printing_and_parsing_are_inverse(tree):
    assert parse(print_formula(tree)) == tree


@given(st.one_of(st.text(), st.text(alphabet='ab12 +-*/^()%,.<>=!"andorifthenelsenotat')))
def test_the_parser_raises_nothing_but_formula_errors(text):
    try:
        parse(text)
    except FormulaError as fault:
        place = (fault.line, fault.column)
    else:
        place = (1, 1)
    assert min(place) >= 1


@pytest.mark.parametrize("wording", WORDINGS, ids=lambda wording: wording.example)
def test_every_mistake_in_the_table_gets_its_sentence(wording):
    with pytest.raises(FormulaError) as caught:
        parse(wording.example)
    assert caught.value.sentence == wording.sentence


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "The formula is empty"),
        ("max(a", "A bracket is still open"),
        ("a +", "ends too early"),
        ("a)", "closes nothing"),
        ("if a else b", "if condition then value else other value"),
        ("(" * 3000 + "a", "nested too deeply|bracket is still open"),
        ("*".join("a" * 130), "nested too deeply"),
        ("a" * 100_001, "100000 are allowed"),
    ],
)
def test_other_mistakes_say_what_to_do(text, said):
    with pytest.raises(FormulaError, match=said):
        parse(text)


@given(st.lists(st.tuples(st.sampled_from("+-"), st.integers(0, 99)), min_size=1, max_size=400))
def test_a_long_sum_is_shallow_and_means_and_reads_the_same(terms):
    text = "".join(f" {sign} {number}" for sign, number in terms).removeprefix(" + ")
    text = f"0{text}" if text.startswith(" - ") else text
    tree = parse(text)

    def worth(node):
        if isinstance(node, syntax.Number):
            return node.value
        left, right = worth(node.left), worth(node.right)
        return left + right if node.operator == "+" else left - right

    assert worth(tree) == sum(number if sign == "+" else -number for sign, number in terms)
    assert syntax.depth(tree) <= 30
    assert print_formula(tree) == text


def test_a_fault_points_at_its_place():
    with pytest.raises(FormulaError) as caught:
        parse("kits *\n kit_price price")
    assert (caught.value.line, caught.value.column) == (2, 12)
    assert caught.value.caret.endswith("           ^")


def test_numbers_group_by_space_and_percent_divides():
    assert parse("1 000.5") == syntax.Number(1000.5)
    assert parse("5 %") == syntax.Number(0.05, True)


def test_operators_bind_as_in_arithmetic():
    assert print_formula(parse("a - (b - c) * -d ^ 2")) == "a - (b - c) * -d ^ 2"
    assert parse("a - b - c") == parse("(a - b) - c")
    assert parse("not a = b") == parse("not (a = b)")


def test_renaming_touches_whole_names_only_and_keeps_the_text():
    text = "kits*kit_price  + before( kits, 12 ) - kits at Coast\n + max(kits_sold, kits)"
    renamed = "sets*kit_price  + before( sets, 12 ) - sets at Coast\n + max(kits_sold, sets)"
    assert rename_in_formula(text, "kits", "sets") == renamed
