"""The page of seals as plain data: the list, and one of them beside the model as it stands."""

from dataclasses import dataclass

from widefork.core.analysis.figures import answer
from widefork.core.errors import WideforkError
from widefork.core.figures import Figure
from widefork.store.seals import Seal
from widefork.web.shared import formats
from widefork.web.shared.context import View, store, workspace
from widefork.web.shared.workspace import Snapshot


@dataclass(frozen=True, kw_only=True)
class SealEntry:
    """A seal in the list. ``edits`` counts what was edited since."""

    seal: Seal
    when: str
    edits: int
    url: str
    is_open: bool


@dataclass(frozen=True, kw_only=True)
class FigureRow:
    """A figure then and now, in the active case; empty where one of the two has none."""

    label: str
    then: str
    now: str
    difference: str
    url: str


@dataclass(frozen=True, kw_only=True)
class SealsPage:
    """The whole page."""

    entries: tuple[SealEntry, ...]
    opened: Seal | None
    case: str
    rows: tuple[FigureRow, ...]
    edits: tuple[tuple[str, str, str], ...]
    statements_url: str


def build(view: View, asked: str) -> SealsPage:
    """Return the list, and the seal asked for beside the model as it stands."""
    seals = workspace().seals.of(view.address.model_id)
    opened = next((seal for seal in seals if str(seal.id) == asked), None)
    revision = view.snapshot.revision
    entries = tuple(
        SealEntry(
            seal=seal,
            when=seal.sealed_at[:16].replace("T", " "),
            edits=revision - seal.revision,
            url=view.address.url(open=seal.id),
            is_open=seal is opened,
        )
        for seal in seals
    )
    case = view.snapshot.model.case(view.address.case).label
    if opened is None:
        return SealsPage(entries=entries, opened=None, case=case, rows=(), edits=(), statements_url="")
    sealed = workspace().sealed(view.address.model_id, opened.id)
    since = [entry for entry in store().log(view.address.model_id, 200) if entry.revision > opened.revision]
    return SealsPage(
        entries=entries,
        opened=opened,
        case=case,
        rows=tuple(_row(view, sealed, figure) for figure in view.snapshot.model.figures),
        edits=tuple((entry.person, entry.made_at[:16].replace("T", " "), entry.sentence) for entry in since),
        statements_url=view.address.url("statements", beside=f"seal-{opened.id}"),
    )


def _row(view: View, sealed: Snapshot, figure: Figure) -> FigureRow:
    now = _amount(view.snapshot, figure, view.address.case)
    then = _amount(sealed, figure, view.address.case)
    line = view.snapshot.model.line(figure.line)
    both = now is not None and then is not None
    return FigureRow(
        label=figure.label,
        then=formats.figure_text(figure, line, then) if then is not None else "",
        now=formats.figure_text(figure, line, now) if now is not None else "",
        difference=formats.figure_difference(figure, line, now - then)
        if both and now is not None and then is not None
        else "",
        url=view.address.url("roots", line=figure.line),
    )


def _amount(snapshot: Snapshot, figure: Figure, case: str) -> float | None:
    """A figure's answer in a case; None where the model has no such line, case or months."""
    if figure.line not in snapshot.model.line_by_name or case not in snapshot.case_names:
        return None
    try:
        return float(answer(figure, snapshot.results).amounts[snapshot.place(case)])
    except WideforkError:
        return None
