"""The panel about the active case: its name, note, weight and place, and what would change elsewhere in the tree."""

from collections.abc import Sequence
from dataclasses import dataclass

from widefork.core.analysis.figures import answer
from widefork.core.changes import Change
from widefork.core.engine import evaluate
from widefork.web.pages.cases.reading import Reading
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.frame import answer_of


@dataclass(frozen=True, kw_only=True)
class Preview:
    """Figures of one case as they are and as they would be: label, now, then, difference."""

    label: str
    rows: tuple[tuple[str, ...], ...]
    words: str


@dataclass(frozen=True, kw_only=True)
class About:
    """What the panel shows. ``parents`` are (name, label) it can stand under; ``under`` is the one being tried."""

    name: str
    label: str
    note: str
    weight: str
    is_pinned: bool
    is_root: bool
    root_label: str
    parent: str
    parent_label: str
    parents: tuple[tuple[str, str], ...]
    under: str
    under_label: str
    preview: Preview | None
    adoption: Preview | None
    forks: int
    is_first: bool
    is_last: bool
    style: int


def build_about(reading: Reading, under: str) -> About:
    """Return the panel of the active case; ``under`` is a parent it is tried under, or ``adopt``."""
    model, case, family = reading.model, reading.case, reading.family
    forks = family.forks_of(case.name)
    parents = tuple((o.name, o.label) for o in model.cases if o.name not in (case.name, *forks))
    others = [one.name for one in model.cases if one.parent is not None]
    is_tried = case.parent is not None and under in {name for name, _ in parents} - {case.parent}
    return About(
        name=case.name,
        label=case.label,
        note=case.note,
        weight="" if case.weight is None else formats.written_out(case.weight * 100),
        is_pinned=case.is_pinned,
        is_root=case.parent is None,
        root_label=model.cases[0].label,
        parent=case.parent or "",
        parent_label=family.case(case.parent).label if case.parent else "",
        parents=parents,
        under=under if is_tried else "",
        under_label=model.case(under).label if is_tried else "",
        preview=_moved(reading, under) if is_tried else None,
        adoption=_adopted(reading) if under == "adopt" and case.parent is not None else None,
        forks=len([fork for fork in forks if fork in model.case_by_name]),
        is_first=not others or others[0] == case.name,
        is_last=not others or others[-1] == case.name,
        style=style_of(reading.view.snapshot.place(case.name)),
    )


def _moved(reading: Reading, under: str) -> Preview:
    case = reading.case
    family = reading.family.under(case.name, under, keeps_numbers=False)
    changes = [change for layer in family.layers_of(case.name) for change in layer.changes]
    kept = reading.family.under(case.name, under, keeps_numbers=True).case(case.name)
    words = (
        f"To keep its numbers it would have {_count(len(kept.steps), 'step')} of its own "
        f"and drop {len(kept.drops)} of what {reading.model.case(under).label} does."
    )
    return _preview(reading, case.label, case.name, changes, words)


def _adopted(reading: Reading) -> Preview:
    root, case = reading.model.cases[0], reading.case
    family = reading.family.adopted(case.name)
    taken = len(family.case(root.name).steps) - len(root.steps)
    others = [c.label for c in family.cases if c.parent == root.name and c.name != case.name]
    rest = (
        f" {', '.join(others)} {'drops' if len(others) == 1 else 'drop'} them and keep the numbers." if others else ""
    )
    if len(others) == 1:
        rest = f" {others[0]} drops them and keeps its numbers."
    changes = [change for layer in family.layers_of(root.name) for change in layer.changes]
    words = f"{root.label} takes {_count(taken, 'step')}; {case.label} then has none of its own.{rest}"
    return _preview(reading, root.label, root.name, changes, words)


def _preview(reading: Reading, label: str, name: str, changes: Sequence[Change], words: str) -> Preview:
    model, view = reading.model, reading.view
    figures = [figure for figure in model.figures if figure.is_pinned] or list(model.figures)[:1]
    place = view.snapshot.place(name)
    rows: list[tuple[str, ...]] = []
    if figures:
        results = evaluate(view.snapshot.plan, [tuple(changes)], list(dict.fromkeys(f.line for f in figures)))
        for figure in figures:
            line = model.line(figure.line)
            now = float(answer_of(figure, view.snapshot).amounts[place])
            then = float(answer(figure, results).amounts[0])
            moved = formats.figure_difference(figure, line, then - now)
            rows.append(
                (figure.label, formats.figure_text(figure, line, now), formats.figure_text(figure, line, then), moved)
            )
    return Preview(label=label, rows=tuple(rows), words=words)


def _count(count: int, word: str) -> str:
    return f"{count} {word}{'' if count == 1 else 's'}"
