"""Writes docs/language.md and docs/format.md from the registries and the schema; a test compares.

Run it after changing either: ``.venv/bin/python docs/build_reference.py``.
"""

import sys
from pathlib import Path

from widefork.core.changes import Operation
from widefork.core.changes.words import EXAMPLE
from widefork.core.finance.schedules import SCHEDULES
from widefork.core.graph.counters import COUNTERS
from widefork.core.language.functions import FUNCTIONS
from widefork.core.language.wording import WORDINGS
from widefork.core.rules import RULES
from widefork.files.yaml_format.schema import model_schema

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent))

from tests.core.finance.sample import example  # noqa: E402

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


FLAGS = """

Flags and counters of one's own stand beside these (`flags` in files): months from one to another, in certain months of
the year, as 1 and 0, or counted.
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
            FLAGS,
            "\n### What is said about mistakes\n\n",
            table(("written", "answer"), mistakes),
            "\n\n## Entry rules\n\nHow the months of an assumption are given: in words, and by key in files.\n\n",
            table(("rule", "key", "in words"), rules),
            f"\n\n## Changes\n\nWritten like `{EXAMPLE}`. `over N` gives a deferral its months, ",
            "`strength 50 %` halves any change.\n\n",
            table(("operation", "what it does"), [(f"`{operation}`", words) for operation, words in changes.items()]),
            "\n",
        )
    )


FORMAT_OPENING = """# The open text format

A model is one YAML document (JSON is YAML too). This page is written by `docs/build_reference.py` from the JSON Schema
that files are checked against; `widefork schema` prints it. `5 %` is read as 0.05 wherever a number is expected; months
are written like 2026-07. Every later version reads files of this one.

A file is written out: anchors, aliases and merge keys are refused, and so are numbers that are none. Up to 6,000
entries in one list, 24 levels and 6,000,000 letters are read.

"""


def kind_of(entry):
    if "$ref" in entry:
        return entry["$ref"].rpartition("/")[2]
    if "enum" in entry:
        return ", ".join(map(str, entry["enum"]))
    if "items" in entry:
        return f"list of {kind_of(entry['items'])}"
    return {"object": "keys", "array": "list"}.get(entry.get("type"), entry.get("type", "see there"))


def keys_of(entry, path=""):
    """Every key below an entry of the schema, as (path, kind, required, description)."""
    for name, inner in entry.get("properties", {}).items():
        here = f"{path}{name}"
        is_required = "yes" if name in entry.get("required", ()) else ""
        yield f"`{here}`", kind_of(inner), is_required, inner.get("description", "")
        yield from keys_of(inner, f"{here}.")
        yield from keys_of(inner.get("items", {}), f"{here}[].")
        further = inner.get("additionalProperties")
        if isinstance(further, dict):
            yield from keys_of(further, f"{here}.NAME.")


def format_reference():
    schema = model_schema()
    header = ("key", "holds", "required", "what it says")
    parts = [FORMAT_OPENING, table(header, keys_of(schema)), "\n"]
    for name in ("line", "rollup", "change", "switch"):
        parts += [f"\n## A {name}\n\n", table(header, keys_of(schema["$defs"][name])), "\n"]
    rules = [(f"`{kind.name}`", kind.label, f"`{written_rule(kind)}`", kind.example) for kind in RULES]
    parts += ["\n## The rules by key\n\n", table(("key", "rule", "written", "in words"), rules), "\n"]
    for schedule in SCHEDULES:
        parts += [f"\n## The schedule `{schedule.name}`\n\n{schedule.summary}\n\n"]
        parts += [table(header, map(setting_row, schedule.settings)), "\n"]
        if schedule.attributes:
            parts += ["\nEach member of its register says:\n\n"]
            parts += [table(header, map(setting_row, schedule.attributes)), "\n"]
        lines = [
            (f"`{line.name}`", line.unit or "plain", line.label.partition(": ")[2]) for line in generated(schedule.name)
        ]
        if lines:
            parts += ["\nIt writes, as `it` with its usual settings (its name stands before each):\n\n"]
            parts += [table(("line", "unit", "what it is"), lines), "\n"]
    return "".join(parts)


def written_rule(kind):
    """A rule's example as a file gives it."""
    document = kind.from_words(kind.example, lambda text: float(text.replace(",", "")))
    return flow({kind.name: document}) if kind.name != "flat" else flow(document)


def flow(document):
    """A document on one line, as YAML writes it."""
    if isinstance(document, dict):
        return "{" + ", ".join(f"{key}: {flow(value)}" for key, value in document.items()) + "}"
    if isinstance(document, list):
        return f"[{', '.join(map(flow, document))}]"
    return f"{document:g}" if isinstance(document, float) else str(document)


def setting_row(setting):
    """A setting of a schedule, or an attribute of its register, with the words a choice takes."""
    kind = setting.kind.value
    if setting.choices:
        kind = f"one of: {', '.join(word for word, _ in setting.choices)}"
    return f"`{setting.key}`", kind, "yes" if setting.is_required else "", setting.label


def generated(kind):
    """The lines a schedule writes for its example."""
    return [line for line in example(kind).model.lines if line.source is not None and line.name.startswith("it_")]


if __name__ == "__main__":
    (HERE / "format.md").write_text(format_reference(), "utf-8")
    (HERE / "language.md").write_text(language_reference(), "utf-8")
