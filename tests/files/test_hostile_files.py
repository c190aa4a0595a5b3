"""Files that ask for more than any model needs, or for what is no model, are refused at once, in a sentence."""

import resource

import pytest

from widefork.core.errors import InvalidModel, WideforkError
from widefork.demo import demo_text
from widefork.files import FORMATS

ALIASES = "a: &a [x,x,x,x,x,x,x,x,x]\n" + "".join(
    f"{chr(98 + n)}: &{chr(98 + n)} [{','.join(['*' + chr(97 + n)] * 9)}]\n" for n in range(8)
)
CROWD = f"dimensions:\n  crowd: [{', '.join(f'm{n}' for n in range(100_000))}]"
SMALL = """wide_fork: 1
model: Small
currency: EUR
timeline: {start: 2026-01, months: 12}
sections:
  - name: all
    label: All
    lines:
      - {name: price, label: Price, unit: EUR/kit, rule: 5}
cases:
  - {name: base, label: Base}
"""


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (ALIASES, "line 2: .*stands for something elsewhere"),
        ("[" * 5000 + "]" * 5000, "more than 24 levels"),
        ("{a: " * 3000 + "1" + "}" * 3000, "more than 24 levels"),
        (f"{SMALL}{CROWD}", "line 13: .*More than 6,000 entries"),
        ("x" * 7_000_000, "up to 6,000,000 are read"),
        (SMALL.replace("rule: 5", "rule: .inf"), "line 9: .inf is no number"),
        (SMALL.replace("rule: 5", "rule: -.NaN"), "line 9: -.NaN is no number"),
        (SMALL.replace("rule: 5", "rule: 1e400"), "line 9: 1e400 is beyond all numbers"),
        (SMALL.replace("rule: 5", f"rule: {'9' * 5000}"), "line 9: .*5,000 digits"),
        (SMALL.replace("months: 12", f"months: 0x{'f' * 5000}"), "line 4: .*5,002 digits"),
        (SMALL.replace("months: 12", "months: 99999999"), "1 to 240 months"),
        (SMALL.replace("2026-01", "2026-13"), "timeline/start: line 4: expected a month like 2026-07, got '2026-13'"),
        (SMALL.replace("2026-01", "2026-02-30"), "day is out of range"),
        (SMALL.replace("Small", "Sm\x07all"), "unacceptable character"),
        (SMALL.replace("Small", "Sm\x00all"), "unacceptable character"),
        ("<<: &x {<<: *x}\n" + SMALL, "line 1: “<<” takes in"),
        ("a: &a\n  <<: *a\n", "line 2: “<<” takes in"),
        ("!!python/object/apply:os.system ['ls']", "is not of type 'object'"),
        ("model: a\nmodel: b\n", "duplicate key"),
        ("a: 1\n---\nb: 2\n", "another document"),
        ("a:\t- b", "cannot start any token"),
        ("", "is not of type 'object'"),
    ],
)
@pytest.mark.parametrize("kind", ["yaml", "json"])
def test_a_hostile_file_is_refused_in_a_sentence(kind, text, said):
    with pytest.raises(InvalidModel, match=said):
        FORMATS[kind].read(text)


def test_refusing_takes_no_memory_to_speak_of():
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for text in (ALIASES, f"{SMALL}{CROWD}", "[" * 5000 + "]" * 5000):
        with pytest.raises(WideforkError):
            FORMATS["yaml"].read(text)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000  # kilobytes


def test_what_a_large_model_needs_is_within_the_budget():
    amounts = ", ".join(str(n) for n in range(240))
    rule = f"{{monthly: {{start: 2026-01, amounts: [{amounts}]}}}}"
    lines = "".join(f"      - {{name: line_{n}, label: Line {n}, unit: EUR, rule: {rule}}}\n" for n in range(50))
    text = SMALL.replace("months: 12", "months: 240").replace("cases:", f"{lines}cases:")
    assert len(FORMATS["yaml"].read(text).lines) == 51
    assert FORMATS["yaml"].read(demo_text("quillmere")).name == "Quillmere Water Labs"
