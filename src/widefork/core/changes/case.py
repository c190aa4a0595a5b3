"""Cases: a parent and the changes on top of it."""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.changes.change import Change
from widefork.core.errors import InvalidModel, UnknownName


@dataclass(frozen=True)
class Case:
    """A named future: its parent's, with its own changes on top. The root case has no parent."""

    name: str
    label: str
    parent: str | None = None
    changes: tuple[Change, ...] = ()
    note: str = ""


def resolve(cases: Mapping[str, Case], name: str) -> tuple[Change, ...]:
    """Return all changes of a case, from the root down.

    Raises
    ------
    UnknownName: no such case or parent.
    InvalidModel: a case that descends from itself.
    """
    chain: list[Case] = []
    seen: set[str] = set()
    following: str | None = name
    while following is not None:
        if following not in cases:
            raise UnknownName("case", following, cases)
        if following in seen:
            raise InvalidModel(f"The case {following} descends from itself; give it another parent.", f"cases/{name}")
        seen.add(following)
        chain.append(cases[following])
        following = cases[following].parent
    return tuple(change for case in reversed(chain) for change in case.changes)
