"""What of a page changed since it was last sent: one round per edit, which brings only that.

Templates mark the parts of a page between ``<!--part:id-->`` and ``<!--/part-->``; each is one element of that id, and
parts may hold parts. Table rows that begin with their id are told apart within a part. What was sent is remembered by
hashes alone; a page whose outermost parts differ is sent whole.
"""

import re
from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from secrets import token_hex
from threading import Lock

from markupsafe import escape

MARK = re.compile(r"<!--part:([^\s>]+)-->|<!--/part-->")
ROW = re.compile(r'<tr id="([^"]+)".*?</tr>', re.DOTALL)
PAGES_REMEMBERED = 400
TEXTS_KEPT = 600
SHOWN = "shown-token"
"""Stands in a page where its own token goes."""


@dataclass(kw_only=True)
class Part:
    """A part of a page as rendered: its text, and how it is put together."""

    name: str
    text: str = ""
    frame: str = ""
    rows: dict[str, str] = field(default_factory=dict)
    inner: list["Part"] = field(default_factory=list)


@dataclass(frozen=True)
class Remembered:
    """A part as it was sent: hashes of what holds it together and of its rows."""

    frame: int
    rows: dict[str, int]


Sent = dict[str, Remembered]


def read_parts(page: str) -> Part:
    """Return a rendered page as its parts, free of marks."""
    root = Part(name="")
    stack = [root]
    pieces: list[list[str]] = [[]]
    frames: list[list[str]] = [[]]
    at = 0

    def take(text: str) -> None:
        pieces[-1].append(text)
        frame, rows = _rows_apart(text)
        if rows.keys() & stack[-1].rows.keys():
            frame = text  # an id that comes twice: these stay where they are
        else:
            stack[-1].rows |= rows
        frames[-1].append(frame)

    for mark in MARK.finditer(page):
        take(page[at : mark.start()])
        at = mark.end()
        if mark[1]:
            part = Part(name=mark[1])
            stack[-1].inner.append(part)
            stack.append(part)
            pieces.append([])
            frames.append([])
        else:
            part = stack.pop()
            part.text, part.frame = "".join(pieces.pop()), "".join(frames.pop())
            pieces[-1].append(part.text)
            frames[-1].append(f"<!--{part.name}-->")
    take(page[at:])
    root.text, root.frame = "".join(pieces[0]), "".join(frames[0])
    return root


@lru_cache(maxsize=TEXTS_KEPT)
def _rows_apart(text: str) -> tuple[str, dict[str, str]]:
    """Text with its rows taken out, and the rows; one whose id comes twice stays where it is. Most texts come again."""
    rows: dict[str, str] = {}

    def take(found: re.Match[str]) -> str:
        if found[1] in rows:
            return found[0]
        rows[found[1]] = found[0]
        return f"<!--{found[1]}-->"

    return ROW.sub(take, text), rows


def _all_parts(part: Part) -> Iterator[Part]:
    yield part
    for inner in part.inner:
        yield from _all_parts(inner)


class PagesSent:
    """What was sent to whom, by the token a page carries. Safe to use from several threads."""

    def __init__(self) -> None:
        self._sent: OrderedDict[str, Sent] = OrderedDict()
        self._lock = Lock()

    def send(self, page: str, shown: str, passing: str = "") -> tuple[str, bool]:
        """Return what to send for a page, and whether it is a patch.

        Parameters
        ----------
        page : as rendered, marks included. shown : the token of the page it is going to replace; "" for none.
        passing : text that differs from time to time and means nothing, such as a form's token.
        """
        root = read_parts(page)
        token = token_hex(8)
        made = {part.name: _remembered(part, passing) for part in _all_parts(root)}
        with self._lock:
            known = self._sent.get(shown)
            self._sent[token] = made
            while len(self._sent) > PAGES_REMEMBERED:
                self._sent.popitem(last=False)
        if known is None or known[""] != made[""]:
            return root.text.replace(SHOWN, token), False
        return "".join(_changed(root, known, made)).replace(SHOWN, token), True

    def add(self, piece: str, shown: str) -> str:
        """Return a piece of a page that is loaded by itself, free of marks; its page has it from now on."""
        root = read_parts(piece)
        with self._lock:
            known = self._sent.get(shown)
            if known is not None:
                known.update({part.name: _remembered(part, "") for part in _all_parts(root) if part.name})
        return root.text


def _remembered(part: Part, passing: str) -> Remembered:
    def mark(text: str) -> int:
        return hash(text.replace(passing, "") if passing else text)

    return Remembered(mark(part.frame), {name: mark(row) for name, row in part.rows.items()})


def _changed(part: Part, known: Sent, made: Sent) -> Iterator[str]:
    was, now = known.get(part.name), made[part.name]
    if was is None or was.frame != now.frame:
        yield f'<template data-patch="{escape(part.name)}">{part.text}</template>'
        return
    for name, row in part.rows.items():
        if was.rows.get(name) != now.rows[name]:
            yield f'<template data-patch="{escape(name)}">{row}</template>'
    for inner in part.inner:
        yield from _changed(inner, known, made)
