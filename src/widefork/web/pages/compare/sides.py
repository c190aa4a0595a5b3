"""What is compared: up to six cases, seals, the year before and other models, as the address names them."""

from collections.abc import Sequence
from dataclasses import dataclass

from widefork.core.analysis.compare import Side
from widefork.core.errors import UnknownName, WideforkError
from widefork.store.shelf import ModelInfo
from widefork.web.shared.case_styles import CASE_STYLES, style_of
from widefork.web.shared.context import View, sentence_of, store, workspace

MOST = 6
LAST_YEAR = "last_year"


@dataclass(frozen=True, kw_only=True)
class Compared:
    """One of those compared. ``key`` names it in the address; ``case`` is the model's own it is, or empty."""

    key: str
    label: str
    note: str
    style: int
    case: str
    side: Side
    is_yardstick: bool
    is_active: bool


@dataclass(frozen=True, kw_only=True)
class Choice:
    """Something that can be compared."""

    key: str
    label: str
    group: str
    is_on: bool


@dataclass(frozen=True, kw_only=True)
class Sides:
    """All that is compared, the yardstick first; what can be; and what was asked for and is not there."""

    compared: tuple[Compared, ...]
    choices: tuple[Choice, ...]
    faults: tuple[str, ...]

    @property
    def yardstick(self) -> Compared:
        """The one the others are compared with."""
        return self.compared[0]


def read_sides(view: View, asked: Sequence[str], against: str) -> Sides:
    """Return what an address asks to compare; the model's cases where it asks for nothing.

    What is not there, and what is beyond six, is said and left out.
    """
    model = view.snapshot.model
    keys = list(dict.fromkeys(asked)) or _usual(view)
    yardstick = against or (f"case:{model.cases[0].name}" if f"case:{model.cases[0].name}" in keys else "")
    if against in model.case_by_name:  # as links from elsewhere say it
        yardstick = f"case:{against}"
    if yardstick and yardstick not in keys:
        keys.insert(0, yardstick)
    faults = (
        [f"At most {MOST} stand side by side; the other {len(keys) - MOST} are left out."] if len(keys) > MOST else []
    )
    found: list[tuple[str, str, str, str, Side]] = []
    for key in keys[:MOST]:
        try:
            found.append(_side(view, key))
        except WideforkError as fault:
            faults.append(f"{key}: {sentence_of(fault)}")
    if not found:
        found.append(_side(view, f"case:{view.address.case}"))
    first = yardstick if any(each[0] == yardstick for each in found) else found[0][0]
    order = sorted(found, key=lambda each: each[0] != first)
    styles = _styles(view, [(key, case) for key, _, _, case, _ in order])
    compared = tuple(
        Compared(
            key=key,
            label=label,
            note=note,
            style=styles[key],
            case=case,
            side=side,
            is_yardstick=key == first,
            is_active=case == view.address.case,
        )
        for key, label, note, case, side in order
    )
    return Sides(compared=compared, choices=_choices(view, {key for key, *_ in order}), faults=tuple(faults))


def _usual(view: View) -> list[str]:
    """The first six cases of the model, the active one among them."""
    names = [case.name for case in view.snapshot.model.cases]
    shown = names[:MOST]
    if view.address.case not in shown:
        shown[-1] = view.address.case
    return [f"case:{name}" for name in shown]


def _side(view: View, key: str) -> tuple[str, str, str, str, Side]:
    """Key, label, note, own case, and the side."""
    model, snapshot = view.snapshot.model, view.snapshot
    kind, _, name = key.partition(":")
    if kind == "case":
        case = model.case(name)
        return key, case.label, case.note, name, Side(case.label, snapshot.results, snapshot.place(name))
    if kind == LAST_YEAR:
        case = model.case(view.address.case)
        label = f"{case.label}, year before"
        return key, label, "twelve months earlier", "", Side(label, snapshot.results, view.place, 12)
    model_id = view.address.model_id
    if kind == "seal":
        seals = {str(seal.id): seal for seal in workspace().seals.of(model_id)}
        if name not in seals:
            raise UnknownName("seal", name, [seal.name for seal in seals.values()])
        sealed = workspace().sealed(model_id, seals[name].id)
        place = sealed.place(view.address.case) if view.address.case in sealed.case_names else 0
        label = f"{seals[name].name}: {sealed.model.cases[place].label}"
        return key, label, f"sealed {seals[name].sealed_at[:10]}", "", Side(label, sealed.results, place)
    others = {str(other.id): other.name for other in _other_models(view)}
    if kind != "model" or name not in others:
        raise UnknownName("model", name or key, others.values())
    there = workspace().now(int(name))
    place = there.place(view.address.case) if view.address.case in there.case_names else 0
    label = f"{others[name]}: {there.model.cases[place].label}"
    return key, label, "another model, by lines of the same names", "", Side(label, there.results, place)


def _other_models(view: View) -> list[ModelInfo]:
    return [other for other in store().shelf.models() if other.id != view.address.model_id]


def _styles(view: View, keys: Sequence[tuple[str, str]]) -> dict[str, int]:
    """A case has its own style; all else the last ones that no case has."""
    own = {key: style_of(view.snapshot.place(case)) for key, case in keys if case}
    spare = [style for style in range(len(CASE_STYLES) - 1, -1, -1) if style not in own.values()]
    others = [key for key, case in keys if not case]
    return {**own, **{key: spare[place % len(spare)] for place, key in enumerate(others)}}


def _choices(view: View, on: set[str]) -> tuple[Choice, ...]:
    model = view.snapshot.model
    listed = [("cases", f"case:{case.name}", case.label) for case in model.cases]
    listed.append(("also", LAST_YEAR, f"{model.case(view.address.case).label}, year before"))
    seals = workspace().seals.of(view.address.model_id)
    listed += [("seals", f"seal:{seal.id}", seal.name) for seal in seals]
    listed += [("other models", f"model:{other.id}", other.name) for other in _other_models(view)]
    return tuple(Choice(key=key, label=label, group=group, is_on=key in on) for group, key, label in listed)
