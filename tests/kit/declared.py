"""What a request reads of its address and form, held against what its page declares: whatever a test sends."""

import re
from functools import cache
from threading import local

from flask import Request
from werkzeug.datastructures import ImmutableMultiDict

from widefork.web.pages import PAGES
from widefork.web.shared.edits import WRITES
from widefork.web.shared.page import SENT_ALONG

LENS = ("case", "from", "to", "by", "since")
FOUND_BY = ("q", "page", "turn")
_BELOW_A_MODEL = re.compile(r"/m/\d+/([^?]*)")
_heard = local()


class Remembering(ImmutableMultiDict):
    """What came with a request, which remembers which names of it were read."""

    def get(self, key, *args, **kwargs):
        _read().append(key)
        return super().get(key, *args, **kwargs)

    def getlist(self, key, *args, **kwargs):
        _read().append(key)
        return super().getlist(key, *args, **kwargs)

    def __getitem__(self, key):
        _read().append(key)
        return super().__getitem__(key)


class RememberingRequest(Request):
    parameter_storage_class = Remembering


def _read():
    if not hasattr(_heard, "names"):
        _heard.names = []
    return _heard.names


@cache
def forms():
    """Addresses below a model that take forms, and the fields of each, as pages declare them."""
    declared = {f"{page.name}/{path}".rstrip("/"): fields for page in PAGES for path, fields in page.writes.items()}
    return {**declared, **WRITES}


def is_spelled(name, patterns):
    """A name is one of those declared, whatever stands for the parts that vary."""
    return name in patterns or any(_varying(pattern).fullmatch(name) for pattern in patterns if "<" in pattern)


@cache
def _varying(pattern):
    return re.compile(re.sub(r"<\w+>", ".+", pattern))


def begin():
    """Forget what was read."""
    _read().clear()


def undeclared(method, address):
    """Names read since ``begin`` that the page of this address does not declare."""
    found = _BELOW_A_MODEL.match(address)
    if found is None:
        return []
    path = found[1].rstrip("/")
    asks = next((page.asks for page in PAGES if page.name == path.partition("/")[0]), FOUND_BY)
    known = (*asks, *LENS)
    if method == "POST":  # an edit's answer may be its page, read by its own address
        fields = next((fields for pattern, fields in forms().items() if is_spelled(path, [pattern])), ())
        known = (*known, *fields, *SENT_ALONG, "csrf_token")
    return sorted({name for name in _read() if not is_spelled(name, known)})
