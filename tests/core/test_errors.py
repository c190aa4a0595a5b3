"""Every error the core raises on purpose, printed once: a sentence a person can act on."""

import inspect

import pytest

from widefork.core import errors
from widefork.core.errors import (
    ChangeRefused,
    FormulaError,
    InvalidModel,
    InvalidValue,
    LoopError,
    UnknownName,
    WideforkError,
)
from widefork.core.registry import Registry
from widefork.core.rules import RULES

EXAMPLES = {
    InvalidModel: (InvalidModel("Expected a number.", "lines/kits"), "lines/kits: Expected a number."),
    InvalidValue: (InvalidValue("The cell is empty."), "The cell is empty."),
    UnknownName: (UnknownName("line", "kitz", ["kits", "price"]), "There is no line “kitz”. Did you mean kits?"),
    FormulaError: (FormulaError("A line is missing.", "a +", 1, 4), "A line is missing.\na +\n   ^"),
    LoopError: (LoopError(["a", "b", "a"]), "a needs b, which needs a, all in the same month."),
    ChangeRefused: (ChangeRefused("cash", "Cash is a total."), "Cash is a total."),
}


def test_every_error_has_an_example_here():
    own = {kind for _, kind in inspect.getmembers(errors, inspect.isclass) if issubclass(kind, WideforkError)}
    assert own == {WideforkError, *EXAMPLES}


@pytest.mark.parametrize("kind", EXAMPLES, ids=lambda kind: kind.__name__)
def test_every_error_says_its_sentence(kind):
    error, text = EXAMPLES[kind]
    assert str(error).startswith(text)
    assert isinstance(error, WideforkError)


@pytest.mark.parametrize("kind", EXAMPLES, ids=lambda kind: kind.__name__)
def test_every_error_is_also_what_python_would_raise(kind):
    assert issubclass(kind, ValueError | LookupError)


def test_an_unknown_name_lists_a_few_known_ones_or_says_what_to_do():
    assert UnknownName("case", "zzz", ["base", "best"]).sentence.endswith("Known: base, best.")
    assert "Check its spelling" in UnknownName("line", "zzz", []).sentence


def test_a_registry_is_loud_about_duplicates_and_unknown_names():
    flat = RULES["flat"]
    with pytest.raises(ValueError, match="two entries named 'flat'"):
        Registry("entry rule", flat, flat)
    with pytest.raises(UnknownName, match="Did you mean growth"):
        RULES["growht"]
    assert "flat" in RULES
    assert len(RULES) == len(RULES.names) == len(list(RULES))
