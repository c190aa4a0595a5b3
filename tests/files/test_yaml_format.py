from dataclasses import replace
from pathlib import Path

import pytest

from widefork.core.errors import InvalidModel
from widefork.demo import DEMO_MODELS, build_demo, demo_text
from widefork.files import FORMATS

SMALL = """
wide_fork: 1
model: Small
currency: EUR
timeline: {start: 2026-01, months: 12}
sections:
  - name: all
    label: All
    lines:
      - {name: price, label: Price, unit: EUR/kit, rule: 5}
      - {name: fee, label: Fee, unit: "%", rule: 4.5 %}
cases:
  - {name: base, label: Base}
"""


@pytest.mark.parametrize("kind", FORMATS, ids=lambda kind: kind.name)
@pytest.mark.parametrize("name", DEMO_MODELS)
def test_every_format_reads_back_what_it_writes(kind, name):
    model = build_demo(name)
    assert kind.read(kind.write(model)) == model
    assert kind.suffix.startswith(".")


def test_percent_signs_are_read():
    model = FORMATS["yaml"].read(SMALL)
    assert model.line("fee").rules[()].value == 0.045


@pytest.mark.parametrize(
    "label",
    ["null", "true", "yes", "1", "2026-01-01", "~", "- x", ": y", "a: b", "{c}", "#d", "e,", "%", "'", '"', "5 %"],
)
def test_any_text_is_written_so_that_it_reads_back(label):
    model = replace(FORMATS["yaml"].read(SMALL), name=label)
    assert FORMATS["yaml"].read(FORMATS["yaml"].write(model)).name == label


def test_the_demo_is_read_with_its_cases_and_figures():
    text = demo_text("quillmere")
    model = FORMATS["yaml"].read(text)
    assert [case.label for case in model.cases] == ["Base", "Best", "Worst", "Met early"]
    assert text.startswith("# Quillmere Water Labs: an invented company")


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (("model: Small", "model: [unclosed"), "not readable as YAML"),
        (("months: 12", "months: soon"), r"timeline/months: line 5: 'soon' is not of type 'integer'"),
        (("currency: EUR\n", ""), "'currency' is a required property"),
        (("rule: 5", "rules: 5"), r"line 10"),
        (("rule: 5", "ruled: 5"), r"line 10: “ruled” is no key here. Known are name, label, .*rule"),
        (("rule: 5", "rule: 1,200"), "200 stands there alone: a comma ends a value within braces. Write .* like 1200"),
        (("rule: 5", "formula: 12"), 'expected text, got 12. Write it in quotes, "12", or rule: 12 for an assumption'),
        (("currency: EUR", "currency: true"), "expected text, got True. Write it in quotes"),
        (("rule: 5", "rule: {flat: five}"), "lines/price: Expected a number for a flat value"),
        (("rule: 5", "rule: {flatt: 5}"), "Expected a number or one rule of flat, growth"),
        (("rule: 5", "rule: 5, formula: fee"), "either a formula or rules"),
        (("rule: 5", "rule: 5, over: [planet]"), "no dimension"),
        (("2026-01", "2026-13"), "expected a month like 2026-07"),
        (("label: Base}", "label: Base, parent: nobody}"), "root and has no parent"),
        (("wide_fork: 1", "wide_fork: 2"), "1 was expected"),
    ],
)
def test_files_that_cannot_be_taken_say_where_and_what_was_expected(change, said):
    assert change[0] in SMALL
    with pytest.raises((InvalidModel, ValueError), match=said):
        FORMATS["yaml"].read(SMALL.replace(*change))


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("receivables", "Receivables opens with what keeps it: write opening_balance at that schedule"),
        ("total_assets", "Total assets is worked out from the others"),
        ("csh", "Did you mean cash"),
        ("revenue", "There is no opening balance “revenue”"),
    ],
)
def test_an_opening_balance_that_stands_elsewhere_says_where(name, said):
    text = (Path(__file__).parents[1] / "models/average_interest.yaml").read_text("utf-8")
    text = text.replace("sections:", f"opening_balances:\n  cash: 5\n  {name}: 7\nsections:", 1)
    with pytest.raises(InvalidModel, match=said) as fault:
        FORMATS["yaml"].read(text)
    assert fault.value.place == f"opening_balances/{name}"
    assert "line 8" in str(fault.value)
