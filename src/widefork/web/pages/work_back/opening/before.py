"""Questions asked before, with what they were answered."""

from dataclasses import dataclass

from widefork.store.shelf import Asked as AskedBefore
from widefork.web.shared.context import View, store


@dataclass(frozen=True, kw_only=True)
class BeforeRow:
    """A question asked before, and what it was answered."""

    sentence: str
    answer: str
    who: str
    url: str
    is_stale: bool


def build_before(view: View) -> tuple[BeforeRow, ...]:
    """Return the questions asked before, the latest first."""
    return tuple(_before(view, each) for each in store().shelf.asked(view.address.model_id))


def _before(view: View, asked: AskedBefore) -> BeforeRow:
    bare = view.address.plain.url("work_back")
    return BeforeRow(
        sentence=asked.sentence,
        answer=asked.answer,
        who=f"{asked.person}, {asked.made_at[:10]}",
        url=f"{bare}&{asked.query}",
        is_stale=asked.revision != view.snapshot.revision,
    )
