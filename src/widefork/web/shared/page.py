"""What a page is: its entry in the order of work, and the facts others read of it."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from flask import Blueprint

SENT_ALONG = ("seen", "back", "case", "despite", "message_at")
"""Fields any form may send: the revision seen, where to return to, the case, edits overruled, where messages go."""


@dataclass(frozen=True, kw_only=True)
class Page:
    """A page's entry; adding a page is its folder and one line in ``pages``.

    Parameters
    ----------
    name : str. In the address. label : str. In the menu; empty keeps it out of the menu.
    number : its place in the order of work; 0 stands outside the numbering.
    blueprint : its routes.
    asks : what its own address may say beside the lens, case and grain.
    pieces : addresses below its own that are read by it, without a page around them.
    writes : addresses below its own that take forms, with the fields of each beside ``SENT_ALONG``. In both, a part
        in angle brackets stands for what varies.
    messages : names of the places in it for what was wrong; without one of them a form's message stands under the
        page's head.
    """

    name: str
    blueprint: Blueprint
    label: str = ""
    number: int = 0
    asks: tuple[str, ...] = ()
    pieces: tuple[str, ...] = ()
    writes: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    messages: tuple[str, ...] = ()
