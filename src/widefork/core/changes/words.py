"""Changes in words: ``kit_price at Coast scale 1.05 from 2027-01 to 2027-06``. Read and written alike."""

import re

from widefork.core.axes import Dimension, Month
from widefork.core.changes.change import BARE, Change, Operation
from widefork.core.changes.course import ByAge
from widefork.core.errors import InvalidValue, UnknownName

_NUMBER = r"-?\d+(?:\.\d+)?(?:e-?\d+)?\s*%?"
_FORM = re.compile(
    rf"""(?P<line>[^\W\d]\w*)
    (?:\s+at\s+(?P<members>.+?))?
    \s+(?P<operation>set|add|scale|stop|delay|defer|with_move)
    (?:\s+(?P<amount>{_NUMBER}))?
    (?:\s+from\s+(?P<first>\d{{4}}-\d{{1,2}}))?
    (?:\s+to\s+(?P<last>\d{{4}}-\d{{1,2}}))?
    (?:\s+over\s+(?P<catch_up>\d+))?
    (?:\s+strength\s+(?P<strength>{_NUMBER}))?""",
    re.VERBOSE,
)
EXAMPLE = "kit_price at Coast scale 1.05 from 2027-01"


def read_change(text: str, dimensions: tuple[Dimension, ...]) -> Change:
    """Return the change a phrase describes.

    Parameters
    ----------
    text : ``LINE [at MEMBER, MEMBER] set|add|scale|stop|delay|defer|with_move [AMOUNT] [from M] [to M] [over N]
        [strength S]``.
    dimensions : of the model; members are looked up in them.

    Raises
    ------
    InvalidValue: a phrase that cannot be read. UnknownName: no such member.
    InvalidModel: a change that cannot be (see ``Change``).

    Examples
    --------
    >>> read_change("sales defer 50 % from 2027-01 to 2027-03 over 6", ()).amount
    0.5
    """
    found = _FORM.fullmatch(text.strip())
    if found is None:
        raise InvalidValue(f"A change is written like “{EXAMPLE}”; “{text}” cannot be read.")
    operation = Operation(found["operation"])
    if (found["amount"] is None) != (operation in BARE):
        wants = "takes no amount" if operation in BARE else "needs an amount"
        raise InvalidValue(f"“{operation}” {wants}: “{text}”. For example “{EXAMPLE}”.")
    return Change(
        found["line"],
        operation,
        _number(found["amount"]),
        tuple(_member(name.strip(' "'), dimensions) for name in (found["members"] or "").split(",") if name.strip()),
        Month.parse(found["first"]) if found["first"] else None,
        Month.parse(found["last"]) if found["last"] else None,
        catch_up_months=int(found["catch_up"] or 0),
        strength=_number(found["strength"]) if found["strength"] else 1.0,
    )


def write_change(change: Change) -> str:
    """Return a change as a phrase; the inverse of ``read_change`` but for its note and amounts that differ by month."""
    parts = [change.line]
    if change.members:
        parts.append("at " + ", ".join(member for _, member in change.members))
    parts.append(change.operation.value)
    if change.operation not in BARE:
        parts.append(_amount(change))
    for word, month in (("from", change.first), ("to", change.last)):
        parts += [f"{word} {month}"] if month is not None else []
    if change.catch_up_months:
        parts.append(f"over {change.catch_up_months}")
    if change.strength != 1:
        parts.append(f"strength {change.strength!r}")
    return " ".join(parts)


def _amount(change: Change) -> str:
    if change.course is None:
        return repr(change.amount)
    along = f"{change.amount!r} " if isinstance(change.course, ByAge) else ""
    return along + change.course.words(repr)


def _number(text: str | None) -> float:
    if text is None:
        return 0.0
    return float(text.rstrip("% ")) / 100 if text.endswith("%") else float(text)


def _member(name: str, dimensions: tuple[Dimension, ...]) -> tuple[str, str]:
    for dimension in dimensions:
        if name in dimension.members:
            return dimension.name, name
    raise UnknownName("member", name, [member for dimension in dimensions for member in dimension])
