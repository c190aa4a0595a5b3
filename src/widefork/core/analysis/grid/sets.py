"""Sets of alternatives, and how one is written: ``start of hiring_freeze: 2026-10, 2027-01``.

Every alternative is steps taken after all others of a case, so that a cell of a grid is a case anybody could make.
"""

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeVar

from widefork.core.axes import Month
from widefork.core.changes import ByHand, Case, Change, Move, Operation, Step, Switch, moved
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.graph.model import Model
from widefork.core.lines import Line

AS_IT_IS = "as it is"

SHAPES_OF_SETS = """A set is one of: “cases: base, worst”; “moves: price_rise, hiring_freeze”; “one of GROUP”; “start of
MOVE: 2026-10, 2027-01”; “strength of MOVE: 50 %, 100 %”; “lost of MOVE: 0 %, 50 %”; “LINE [at MEMBER]: 40; +5; x 1.1;
-10 %; 3 months later”; “shape of LINE from MONTH: quick = 60 80 100; slow = 60 60 80 100”."""
Named = TypeVar("Named", Case, Move)


@dataclass(frozen=True)
class Alternative:
    """One of a set.

    Parameters
    ----------
    label : short, for a heading. steps : taken last. case : the case it stands on; empty for the one asked about.
    note : more about it, for a reader.
    """

    label: str
    steps: tuple[Step, ...] = ()
    case: str = ""
    note: str = ""


@dataclass(frozen=True)
class Alternatives:
    """A set of alternatives, of which one happens.

    Parameters
    ----------
    label : what they are alternatives of. is_ordered : whether they stand in an order, as months and amounts do.
    """

    label: str
    choices: tuple[Alternative, ...]
    is_ordered: bool = False


def read_set(model: Model, case: str, text: str) -> Alternatives:
    """Return the set a phrase describes, for a case.

    Parameters
    ----------
    model : with all its lines. text : one of

        - ``cases: base, worst``
        - ``moves: price_rise, hiring_freeze``: the case as it is, and with each of them
        - ``one of GROUP``: none of the moves that exclude one another, and each of them
        - ``start of MOVE: 2026-10, 2027-01``, ``strength of MOVE: 50 %, 100 %``
        - ``lost of MOVE: 0 %, 50 %, 100 %``: how much of what the move puts off is lost rather than caught up
        - ``LINE [at MEMBER, ...]: 40; +5; x 1.1; -10 %; 3 months later``, also with ``as it is``
        - ``shape of LINE [at MEMBER, ...] from MONTH: quick = 60 80 100; slow = 60 60 70 80 100``: per cent of what it
          is, month by month, as it was from there on

        Values are parted by commas, or by semicolons where there is one; without values, usual ones are taken, but for
        a shape. Lines, cases and moves are named by name or label.

    Raises
    ------
    InvalidValue: a phrase that cannot be read, or fewer than two alternatives. UnknownName: no such case, move or line.
    """
    head, tail = split_phrase(model, text)
    kind, _, of = head.strip().partition(" of ")
    values = _values(tail)
    reader = _READERS.get(kind if of else head.strip())
    if reader is None:
        reader, of = _line, head.strip()
    found = reader(model, case, of.strip(), values)
    if len(found.choices) < 2:
        raise InvalidValue(f"“{text.strip()}” needs at least two alternatives to choose from.")
    labels = [choice.label for choice in found.choices]
    twice = next((label for label in labels if labels.count(label) > 1), None)
    if twice is not None:
        raise InvalidValue(f"“{twice}” stands twice in “{text.strip()}”; name each alternative once.")
    return found


def split_phrase(model: Model, text: str) -> tuple[str, str]:
    """Return what a phrase is about and what it says of it, which stand on both sides of a colon.

    A label may hold colons itself: the longest beginning that is something known is what the phrase is about.
    """
    colons = [len(text), *(place for place in reversed(range(len(text))) if text[place] == ":")]
    at = next((place for place in colons if _is_known(model, text[:place].strip())), text.find(":"))
    return (text[:at], text[at + 1 :]) if at >= 0 else (text, "")


def _is_known(model: Model, head: str) -> bool:
    if _known_line(model, head) is not None:
        return True
    kind, _, of = head.partition(" of ")
    about = of.strip() if of and kind in _READERS else head
    names = {*model.move_by_name, *model.case_by_name}
    names |= {move.label for move in model.moves} | {case.label for case in model.cases}
    if about in names or _known_line(model, about) is not None:
        return True
    ways = [cut(word) for word in (" at ", " from ") for cut in (about.partition, about.rpartition)]
    return any(rest and ":" not in rest and _known_line(model, part.strip()) is not None for part, _, rest in ways)


def _values(text: str) -> list[str]:
    parts = text.split(";" if ";" in text else ",")
    return [part.strip() for part in parts if part.strip()]


def _cases(model: Model, case: str, of: str, values: list[str]) -> Alternatives:
    names = values or [each.name for each in model.cases]
    found = [named_one("case", name, model.cases) for name in names]
    return Alternatives("case", tuple(Alternative(each.label, case=each.name, note=each.note) for each in found))


def _moves(model: Model, case: str, of: str, values: list[str]) -> Alternatives:
    on = {layer.move for layer in model.layers_of(case)}
    moves = [named_one("move", name, model.moves) for name in values] or [m for m in model.moves if m.name not in on]
    own = Alternative(AS_IT_IS)
    return Alternatives("move", (own, *(Alternative(m.label, (Switch(m.name),), note=m.note) for m in moves)))


def _group(model: Model, case: str, of: str, values: list[str]) -> Alternatives:
    moves = [move for move in model.moves if move.group and move.group.casefold() == of.casefold()]
    if not moves:
        raise UnknownName("group of moves", of, {move.group for move in model.moves if move.group})
    on = {layer.move for layer in model.layers_of(case)}
    off = tuple(Switch(move.name, strength=0.0) for move in moves if move.name in on)
    found = tuple(Alternative(move.label, (Switch(move.name),), note=move.note) for move in moves)
    return Alternatives(moves[0].group, (Alternative("none of them" if off else AS_IT_IS, off), *found))


def _starts(model: Model, case: str, of: str, values: list[str]) -> Alternatives:
    move = named_one("move", of, model.moves)
    usual = [move.start.plus(by) for by in (0, 3, 6, 9)]
    months = [Month.parse(value) for value in values] or [month for month in usual if month <= model.timeline.end]
    strength = standing_switch(model, case, move).strength
    found = tuple(Alternative(month.label, (Switch(move.name, month, strength),)) for month in months)
    return Alternatives(f"{move.label}, from", found, is_ordered=True)


def _strengths(model: Model, case: str, of: str, values: list[str]) -> Alternatives:
    move = named_one("move", of, model.moves)
    start = standing_switch(model, case, move).start
    shares = [_share(value) for value in values or ("0 %", "50 %", "100 %")]
    found = tuple(Alternative(f"{share * 100:g} %", (Switch(move.name, start, share),)) for share in shares)
    return Alternatives(f"{move.label}, strength", found, is_ordered=True)


def _lost(model: Model, case: str, of: str, values: list[str]) -> Alternatives:
    move = named_one("move", of, model.moves)
    if not any(change.operation is Operation.DEFER for change in move.changes):
        raise InvalidValue(f"{move.label} puts nothing off, so none of it can be lost for good.")
    changes = moved(move, standing_switch(model, case, move))
    found = []
    for share in map(_share, values or ("0 %", "50 %", "100 %")):
        if share > 1:
            raise InvalidValue(f"Of what is put off, between 0 and 100 % can be lost; {share * 100:g} % was given.")
        steps = tuple(part for change in changes for part in _partly_lost(change, share))
        found.append(Alternative(f"{share * 100:g} % lost", (Switch(move.name, strength=0.0), *steps)))
    return Alternatives(f"{move.label}, lost for good", tuple(found), is_ordered=True)


def _partly_lost(change: Change, share: float) -> tuple[Change, ...]:
    """A deferral of which a share never comes back: the rest is put off, and of what is left so much less is done."""
    if change.operation is not Operation.DEFER or not share:
        return (change,)
    put_off = change.amount * change.strength
    kept = put_off * (1 - share)
    if kept == 1:
        return (change,)
    left = Change(change.line, Operation.SCALE, (1 - put_off) / (1 - kept), change.members, change.first, change.last)
    return (replace(change, amount=kept, strength=1.0), replace(left, note=change.note))


def _shapes(model: Model, case: str, of: str, values: list[str]) -> Alternatives:
    phrase, _, month = of.partition(" from ")
    line, members = named_line(model, phrase)
    first = Month.parse(month) if month else model.timeline.first_plan
    found = []
    for number, value in enumerate(values, 1):
        label, equals, points = value.rpartition("=")
        amounts = [_number(point.rstrip("%"), value) / 100 for point in points.split()]
        change = Change(line, Operation.SCALE, 1.0, members, first, course=ByHand(tuple(amounts)))
        found.append(Alternative(label.strip() if equals else f"shape {number}", (change,), note=points.strip()))
    return Alternatives(f"{model.line(line).label}, shape from {first.label}", tuple(found))


def _line(model: Model, case: str, of: str, values: list[str]) -> Alternatives:
    line, members = named_line(model, of)
    where = f" at {', '.join(member for _, member in members)}" if members else ""
    wanted = values or ["-10 %", AS_IT_IS, "+10 %"]
    found = [Alternative(value, _line_steps(line, members, value)) for value in wanted]
    return Alternatives(f"{model.line(line).label}{where}", tuple(found), is_ordered=True)


_FORMS: tuple[tuple[str, Operation, Callable[[float], float]], ...] = (
    (r"(?P<amount>\d+) months? later", Operation.DELAY, lambda amount: amount),
    (r"[x×*] ?(?P<amount>[\d.,' ]+)", Operation.SCALE, lambda amount: amount),
    (r"(?P<amount>[+−-] ?[\d.,' ]+) ?%", Operation.SCALE, lambda amount: 1 + amount / 100),
    (r"(?P<amount>[+] ?[\d.,' ]+)", Operation.ADD, lambda amount: amount),
    (r"(?P<amount>[−-]?[\d.,' ]+) ?%", Operation.SET, lambda amount: amount / 100),
    (r"(?P<amount>[−-]?[\d.,' ]+)", Operation.SET, lambda amount: amount),
)


def read_step(value: str) -> tuple[Operation, float]:
    """Return what ``40``, ``+5``, ``x 1.1``, ``-10 %`` or ``3 months later`` does; raise InvalidValue."""
    for form, operation, amount in _FORMS:
        found = re.fullmatch(form, value)
        if found is not None:
            return operation, amount(_number(found["amount"], value))
    raise InvalidValue(f"“{value}” is no value: write 40, +5, x 1.1, -10 %, 3 months later or {AS_IT_IS}.")


def _line_steps(line: str, members: tuple[tuple[str, str], ...], value: str) -> tuple[Change, ...]:
    if value.casefold() == AS_IT_IS:
        return ()
    operation, amount = read_step(value)
    return (Change(line, operation, amount, members),)


def _number(text: str, whole: str) -> float:
    bare = text.replace("−", "-").replace(" ", "").replace("'", "")
    if "," in bare and not re.fullmatch(r"[+-]?\d{1,3}(,\d{3})+(\.\d+)?", bare):
        raise InvalidValue(f"“{whole}” can be read two ways: part its thousands by a comma, and decimals by a point.")
    try:
        return float(bare.replace(",", ""))
    except ValueError:
        raise InvalidValue(f"“{whole}” holds no number that can be read; write 1234.5.") from None


def _share(value: str) -> float:
    return _number(value.rstrip("% "), value) / (100 if value.endswith("%") else 1)


def named_line(model: Model, phrase: str) -> tuple[str, tuple[tuple[str, str], ...]]:
    """Return the line and the members of ``LINE [at MEMBER, ...]``; raise UnknownName."""
    whole = _known_line(model, phrase.strip())
    name, _, at = (phrase, "", "") if whole is not None else phrase.rpartition(" at ")
    if whole is None and _known_line(model, name.strip()) is None:
        name, _, at = phrase.partition(" at ")
    line = whole or _known_line(model, name.strip()) or model.line(name.strip())
    members = []
    known = [member for dimension in model.dimensions_of(line) for member in dimension]
    for member in [at.strip()] if at.strip() in known else [part.strip() for part in at.split(",") if part.strip()]:
        dimension = next((d for d in model.dimensions_of(line) if member in d.members), None)
        if dimension is None:
            raise UnknownName(f"member of {line.label}", member, known)
        members.append((dimension.name, member))
    return line.name, tuple(members)


def _known_line(model: Model, name: str) -> Line | None:
    """The line of a name or a label; the name decides, as labels may be alike."""
    known = model.line_by_name.get(name)
    return known or next((each for each in model.lines if each.label.casefold() == name.casefold()), None)


def line_phrase(model: Model, name: str) -> str:
    """Return how a line is called in a phrase: by its label, or by its name where others are labelled alike."""
    label = model.line(name).label
    return label if _known_line(model, label) == model.line(name) else name


def standing_switch(model: Model, case: str, move: Move) -> Switch:
    """Return how a move is on in a case, or its own start and full strength."""
    steps = (layer.step for layer in model.layers_of(case) if layer.move == move.name)
    return next((step for step in steps if isinstance(step, Switch)), Switch(move.name))


def named_one(kind: str, name: str, known: tuple[Named, ...]) -> Named:
    """Return the case or move of a name or a label; raise UnknownName."""
    for each in known:
        if name in (each.name, each.label):
            return each
    raise UnknownName(kind, name, [each.name for each in known])


_READERS: dict[str, Callable[[Model, str, str, list[str]], Alternatives]] = {
    "cases": _cases,
    "moves": _moves,
    "one": _group,
    "start": _starts,
    "strength": _strengths,
    "lost": _lost,
    "shape": _shapes,
}
