"""Names for formulas, made from what a person calls a thing."""

import re
from collections.abc import Container

from widefork.core.errors import InvalidValue
from widefork.core.lines import RESERVED_WORDS


def name_from(label: str, taken: Container[str] = ()) -> str:
    """Return a lower-case name of joined words for a display name, numbered where it is taken.

    Raises
    ------
    InvalidValue: a label without a letter.
    """
    words = re.sub(r"[^\w]+", "_", label.strip().lower()).strip("_")
    if not words:
        raise InvalidValue(f"Expected a name with letters; got “{label}”.")
    if words[0].isdecimal() or words in RESERVED_WORDS:
        words = f"n_{words}"
    found, count = words, 1
    while found in taken:
        count += 1
        found = f"{words}_{count}"
    return found
