"""What to say about a formula that cannot be read: a table of wrong inputs and the sentence each deserves."""

import re
from typing import NamedTuple


class Wording(NamedTuple):
    """A pattern for the text up to and including the fault, the sentence, and an example of the mistake."""

    pattern: re.Pattern[str]
    sentence: str
    example: str


WORDINGS = (
    Wording(re.compile(r"\d,$"), "Write decimals with a point: 1.5. A comma separates arguments.", "kits * 1,5"),
    Wording(re.compile(r"\d\.$"), "A decimal point needs a digit after it, like 1.5.", "kits * 1."),
    Wording(
        re.compile(r"%\s*[\d\w(]$"),
        "The percent sign belongs to the number before it; then an operator must follow, like 5 % * price.",
        "5 % price",
    ),
    Wording(re.compile(r"(^|[-+*/^(,<>=])\s*%$"), "The percent sign belongs to a number, like 5 %.", "price * %"),
    Wording(
        re.compile(r"\w\s*%$"),
        "The percent sign belongs to a number, like 5 %; for a line, divide by 100.",
        "price %",
    ),
    Wording(re.compile(r"==$|=\s*=$"), "One equals sign compares: a = b.", "a == b"),
    Wording(
        re.compile(r"^\s*=$"),
        "A formula needs no equals sign at its start; write it as it is read: kits * price.",
        "= kits * price",
    ),
    Wording(re.compile(r"[<>]\s*=?\s*[<>]$"), "Compare with <, <=, >, >=, = or != (not equal).", "a <> b"),
    Wording(re.compile(r";$"), "Separate arguments with a comma.", "max(a; b)"),
    Wording(re.compile(r"[×·]$"), "Multiply with *.", "a × b"),
    Wording(re.compile(r"[−–]$"), "Subtract with the plain minus sign -.", "a − b"),
    Wording(re.compile(r"[€$£]$"), "Leave the currency sign out; the unit stands beside the line.", "€ 5"),
    Wording(re.compile(r"[-+*/^]\s*[*/^+)]$"), "Between two operators a line or a number is missing.", "a + * b"),
    Wording(re.compile(r"\(\s*\)$|,\s*\)$"), "An argument is missing before the bracket.", "max(a, )"),
    Wording(
        re.compile(r"\w\s*\[$"),
        "The month before is written before(x), a member x at Coast; there are no square brackets.",
        "x[1]",
    ),
    Wording(
        re.compile(r"[\w)]\s+[\w(\"]$"),
        "Between two lines or numbers an operator is missing: + - * / or a comma.",
        "kits price",
    ),
)

KEYWORDS = frozenset({"if", "then", "else", "at", "and", "or", "not"})


def describe_fault(text: str, found: str, line: int, column: int) -> str:
    """Return the sentence for the fault at a place of a formula's text.

    Parameters
    ----------
    text : str. The whole formula.
    found : str. The piece reading stopped at; empty at the end.
    line, column : int, from 1.
    """
    rows = text.splitlines()
    if not found:
        if text.count("(") > text.count(")"):
            return "A bracket is still open at the end; close it with )."
        return "The formula ends too early: a line or a number is missing after the last sign."
    before = "\n".join([*rows[: line - 1], rows[line - 1][: column - 1]]) + found[0]
    if found in KEYWORDS:
        return f"“{found}” cannot stand here. A choice is written: if condition then value else other value."
    for wording in WORDINGS:
        if wording.pattern.search(before):
            return wording.sentence
    if found == ")":
        return "This bracket closes nothing; remove it, or open one before."
    return f"“{found}” cannot be read here. Expected a line, a number, an operator or a bracket."
