"""Writes docs/language.md from the registries: ``.venv/bin/python docs/build_reference.py``. A test compares."""

from pathlib import Path

from widefork.core.changes import Operation
from widefork.core.changes.words import EXAMPLE
from widefork.core.graph.counters import COUNTERS
from widefork.core.language.functions import FUNCTIONS
from widefork.core.language.wording import WORDINGS
from widefork.core.rules import RULES

HERE = Path(__file__).parent
OPENING = """# The language of formulas, rules and changes

This page is written by `docs/build_reference.py` from the same registries the application reads.

## Formulas

Plain arithmetic on line names, readable aloud.

| written | means |
| --- | --- |
| `kits_sold * kit_price` | lines by name: lower-case words joined by underscores, in any script |
| `kit_price at Coast`, `kit_price at "North shore"` | one member of a line; odd names in quotes |
| `1 000.5`, `5 %` | numbers: grouped by a space, decimal point; per cent is divided by 100 |
| `a + b`, `-`, `*`, `/`, `^` | arithmetic; `^` binds strongest, then minus, then `*` `/`, then `+` `-` |
| `a < b`, `<=`, `>`, `>=`, `=`, `!=` | comparison: 1 where it holds, else 0 |
| `a and b`, `or`, `not a` | everything but 0 is true |
| `if a > b then c else d` | a choice |
| `month >= Sep 2026` | months compare with the counter `month` |

Members line up by name; a line without a dimension applies to each member. A division by zero gives an error value that
passes through everything computed from it and can be followed to where it began. Lines that need each other in the same
month are refused as a loop, with its path; `before(x)` breaks it.

"""


def table(header, rows):
    lines = [f"| {' | '.join(header)} |", f"|{' --- |' * len(header)}"]
    return "\n".join(
        [*lines, *(f"| {' | '.join(str(cell).replace('|', chr(92) + '|') for cell in row)} |" for row in rows)]
    )


def language_reference():
    functions = [(f"`{f.usage}`", f.summary, f"`{f.example}`", f.unit_rule.value) for f in FUNCTIONS]
    counters = [(f"`{name}`", words) for name, (words, _) in COUNTERS.items()]
    rules = [(kind.label, f"`{kind.name}`", kind.example) for kind in RULES]
    changes = {
        Operation.SET: "the months are the amount",
        Operation.ADD: "the amount is added to each month",
        Operation.SCALE: "each month is multiplied by the factor",
        Operation.STOP: "the months are 0",
        Operation.DELAY: "a flow happens so many months later; a level is held so much longer",
        Operation.DEFER: "a share is put off and caught up evenly over the months after",
    }
    mistakes = [(f"`{wording.example}`", wording.sentence) for wording in WORDINGS]
    return "".join(
        (
            OPENING,
            "### Functions\n\n",
            table(("call", "gives", "example", "unit"), functions),
            "\n\n### Counters and flags\n\n",
            table(("name", "value"), counters),
            "\n\n### What is said about mistakes\n\n",
            table(("written", "answer"), mistakes),
            "\n\n## Entry rules\n\nHow the months of an assumption are given: in words, and by key in files.\n\n",
            table(("rule", "key", "in words"), rules),
            f"\n\n## Changes\n\nWritten like `{EXAMPLE}`. `over N` gives a deferral its months, ",
            "`strength 50 %` halves any change.\n\n",
            table(("operation", "what it does"), [(f"`{operation}`", words) for operation, words in changes.items()]),
            "\n",
        )
    )


if __name__ == "__main__":
    (HERE / "language.md").write_text(language_reference(), "utf-8")
