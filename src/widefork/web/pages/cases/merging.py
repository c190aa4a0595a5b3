"""Merging from a file, as plain data: which of its cases fit, with what, and what does not."""

from dataclasses import dataclass

from widefork.core.analysis.merge import merge_case
from widefork.core.changes import Layer
from widefork.core.errors import WideforkError
from widefork.core.graph.model import Model
from widefork.files import FORMATS
from widefork.web.pages.cases.words import layer_words
from widefork.web.shared.workspace import Snapshot


@dataclass(frozen=True, kw_only=True)
class Mergeable:
    """A case of a file: what of it fits here. ``fault`` says why none of it does; ``misfits`` are (step, why)."""

    name: str
    label: str
    parent: str
    note: str
    fits: int
    moves: tuple[str, ...]
    misfits: tuple[tuple[str, str], ...]
    otherwise: tuple[str, ...]
    fault: str


def read_model(text: str) -> Model:
    """Return the model of a file's text; raises what its format raises."""
    name = "json" if text.lstrip().startswith("{") else "yaml"
    return FORMATS[name].read(text)


def mergeable(snapshot: Snapshot, other: Model) -> tuple[Mergeable, ...]:
    """Return the cases of another model, but for its root, with what of each fits here."""
    found = []
    for case in (case for case in other.family.cases if case.parent is not None):
        try:
            merge = merge_case(snapshot.plan, other, case.name)
        except WideforkError as fault:
            found.append(_entry(case.name, case.label, case.note, str(getattr(fault, "sentence", fault))))
            continue
        model = snapshot.model
        misfits = []
        for misfit in merge.misfits:
            misfits.append((_words(misfit.layer, model), misfit.why))
        parent = merge.family.case(merge.case).parent or ""
        found.append(
            Mergeable(
                name=case.name,
                label=merge.family.case(merge.case).label,
                parent=model.case(parent).label,
                note=case.note,
                fits=len(merge.fitting),
                moves=tuple(move.label for move in merge.moves),
                misfits=tuple(misfits),
                otherwise=merge.otherwise,
                fault="",
            )
        )
    return tuple(found)


def _words(layer: Layer, model: Model) -> str:
    """A step in words; by the name its file has for it where nobody here knows its line or move."""
    is_known = layer.move in (None, *model.move_by_name)
    if is_known and all(change.line in model.line_by_name for change in layer.changes):
        return " ".join(layer_words(layer, model))
    return layer.move or layer.changes[0].line


def _entry(name: str, label: str, note: str, fault: str) -> Mergeable:
    return Mergeable(
        name=name, label=label, parent="", note=note, fits=0, moves=(), misfits=(), otherwise=(), fault=fault
    )
