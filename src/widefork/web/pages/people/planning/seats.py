"""The position list: each planned seat with its team, start, end, share, salary and the move it belongs to."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from werkzeug.datastructures import MultiDict

from widefork.core.axes import Month
from widefork.core.changes import Change, Move, Operation
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.finance.schedules import SettingKind
from widefork.core.finance.schedules.people.schedule import SEAT
from widefork.core.graph.model import Model
from widefork.store import edits
from widefork.store.edits import Apply, together
from widefork.web.pages.people.plan import TeamPlan
from widefork.web.shared import formats
from widefork.web.shared.blocks import read_block
from widefork.web.shared.context import View
from widefork.web.shared.naming import name_from
from widefork.web.shared.settings import NOTHING, changes_told, read_setting

SEAT_LINES = ("seat_counts", "seat_later")
"""What a move does to a seat that belongs to it: it counts, and comes later with the move."""
LONGEST_LABEL = 60
TEAM, MOVE = "team", "move"
COLUMNS = (TEAM, *(setting.key for setting in SEAT))
IN_LIST = tuple(key for key in COLUMNS if key not in ("role", "asks", "training"))
"""The columns of the list; all else is pasted, or said where a seat is filled."""
_LABELS = {TEAM: "team", **{setting.key: setting.label for setting in SEAT}}


@dataclass(frozen=True, kw_only=True)
class SeatRow:
    """A seat as its row of fields: texts by column, whether it counts in the active case, and its months as a bar."""

    name: str
    texts: Mapping[str, str]
    counts: bool
    bar: tuple[float, float]


@dataclass(frozen=True, kw_only=True)
class MoveNeed:
    """A move that needs heads: how many, how many seats carry it, and what is missing."""

    label: str
    needs: str
    seats: int
    missing: str
    is_short: bool


@dataclass(frozen=True, kw_only=True)
class SeatList:
    """The whole list; ``boundary`` is where the plan begins on the bars."""

    rows: tuple[SeatRow, ...]
    columns: tuple[tuple[str, str, str], ...]
    teams: tuple[str, ...]
    moves: tuple[str, ...]
    needs: tuple[MoveNeed, ...]
    boundary: float


def build_seats(view: View, plan: TeamPlan, _: Mapping[str, str]) -> SeatList:
    """Return the position list, in the order of the register."""
    model, timeline = view.snapshot.stored.model, view.snapshot.model.timeline
    labels = {move.name: move.label for move in model.moves}
    rows = []
    for seat in plan.seats.members if plan.seats is not None else ():
        known = plan.seats.attributes.get(seat, {}) if plan.seats is not None else {}
        texts = {TEAM: str(known.get(plan.teams.name, ""))}
        for setting in SEAT:
            value = known.get(setting.key, "")
            texts[setting.key] = labels.get(str(value), str(value)) if setting.key == MOVE else _text(setting, value)
        counts = view.snapshot.results.series(plan.name("seat_counts"), (seat,), view.place)[-1] > 0
        first = Month.parse(str(known["start"])).ordinal - timeline.start.ordinal
        last = Month.parse(str(known["end"])).ordinal - timeline.start.ordinal if known.get("end") else 10**4
        begins, ends = max(0, first), min(timeline.month_count, last + 1)
        bar = (begins / timeline.month_count * 100, max(0, ends - begins) / timeline.month_count * 100)
        rows.append(SeatRow(name=seat, texts=texts, counts=bool(counts), bar=bar))
    columns = tuple((key, _LABELS[key], _hint(key)) for key in IN_LIST)
    boundary = timeline.actual_count / timeline.month_count * 100
    return SeatList(
        rows=tuple(rows),
        columns=columns,
        teams=plan.teams.members,
        moves=tuple(labels.values()),
        needs=_needs(plan, model),
        boundary=boundary,
    )


def _hint(key: str) -> str:
    return next((setting.hint for setting in SEAT if setting.key == key), "")


def _text(setting: Any, value: str | float) -> str:
    if value == "":
        return ""
    if setting.kind is SettingKind.MONTH:
        return Month.parse(str(value)[:7]).label
    if isinstance(value, str):
        return value
    return f"{formats.typed(value, setting.unit)} %" if setting.unit.startswith("%") else formats.written_out(value)


def _needs(plan: TeamPlan, model: Model) -> tuple[MoveNeed, ...]:
    """Moves that allow more heads, or that seats belong to: heads needed less seats."""
    found = []
    for move in model.moves:
        allowed = sum(
            change.amount for change in move.changes
            if change.line == plan.name("heads_allowed") and change.operation is Operation.ADD
        )  # fmt: skip
        held = plan.seats.mapping(MOVE) if plan.seats is not None else {}
        seats = sum(name == move.name for name in held.values())
        if allowed or seats:
            missing = allowed - seats
            words = f"{formats.plain_number(abs(missing), 0)} {'missing' if missing > 0 else 'more than needed'}"
            told = words if missing else "all there"
            found.append(
                MoveNeed(
                    label=move.label,
                    needs=formats.plain_number(allowed, 0),
                    seats=seats,
                    missing=told,
                    is_short=missing > 0,
                )
            )
    return tuple(found)


def seat_edit(plan: TeamPlan, form: "MultiDict[str, str]") -> Apply:
    """Return the edit of one seat's row: changed, or new.

    Raises
    ------
    InvalidValue, UnknownName: what was expected, what came, with the seat.
    """
    label = " ".join(form.get("label", "").split())
    return _seats_edit(plan, [(form.get("member", ""), label, form)], f"{label}: ")


def pasted_seats(plan: TeamPlan, text: str) -> Apply:
    """Return the edit that takes seats as a clipboard carries them: a row each, the name first, headings if any."""
    rows = read_block(text)
    columns = list(COLUMNS)
    by_label = {label.lower(): key for key, label in _LABELS.items()} | {key: key for key in COLUMNS}
    if len(rows[0]) > 1 and all(cell.lower() in by_label for cell in rows[0][1:] if cell):
        columns = [by_label[cell.lower()] for cell in rows[0][1:] if cell]
        rows = rows[1:]
    if not rows or len(rows[0]) > len(columns) + 1:
        expected = ", ".join(_LABELS[key] for key in columns)
        raise InvalidValue(f"Expected the seat's name and up to {len(columns)} columns ({expected}).")
    names = [row[0].lower() for row in rows]
    twice = next((row[0] for row in rows if names.count(row[0].lower()) > 1), "")
    if twice:
        raise InvalidValue(f"{twice} is listed twice. Every seat is one position: give each a name of its own.")
    known = plan.seats.members if plan.seats is not None else ()
    seats = [(row[0] if row[0] in known else "", row[0], dict(zip(columns, row[1:], strict=False))) for row in rows]
    count = f"{len(seats)} {'seat' if len(seats) == 1 else 'seats'} pasted: "
    return _seats_edit(plan, seats, count)


def _seat_told(plan: TeamPlan, before: Mapping[str, Any], known: Mapping[str, Any], renamed: str) -> str:
    """What of a seat became what; its team and the move it belongs to beside its settings."""
    told = [renamed] if renamed else []
    labels = {move.name: move.label for move in plan.model.moves}
    for key, word in ((plan.teams.name, "team"), (MOVE, "move")):
        was, became = (str(document.get(key, "")) or NOTHING for document in (before, known))
        if was != became:
            told.append(f"{word} {labels.get(was, was)} to {labels.get(became, became)}")
    told.append(changes_told(SEAT, before, known, plan.model))
    return ", ".join(filter(None, told))


def removed_seat(plan: TeamPlan, member: str) -> Apply:
    """Return the edit that removes a seat, and what moves say of it."""
    if plan.seats is None or member not in plan.seats.members:
        raise UnknownName("seat", member, plan.seats.members if plan.seats is not None else ())
    told = f"{member}: seat removed"
    held = str(plan.seats.attributes.get(member, {}).get(MOVE, ""))
    steps: list[Apply] = []
    if any(move.name == held for move in plan.model.moves):
        target = ((plan.seats.name, member),)
        steps += [edits.take_out_of_move(held, plan.name(part), target, told) for part in SEAT_LINES]
    if len(plan.seats.members) == 1:
        steps.append(edits.change_schedule(plan.given.name, told, settings={"seats": None}))
        steps.append(edits.remove_dimension(plan.seats.name, told))
    else:
        steps.append(edits.remove_member(plan.seats.name, member, told))
    return together(steps, told)


def _seats_edit(plan: TeamPlan, seats: Sequence[tuple[str, str, Mapping[str, str]]], told: str) -> Apply:
    steps: list[Apply] = []
    added: dict[str, dict[str, str | float]] = {}
    dimension = plan.seats.name if plan.seats is not None else name_from(
        f"{plan.given.name} seat", {d.name for d in plan.model.dimensions}
    )  # fmt: skip
    said = ""
    new_moves: dict[str, str] = {}
    in_moves: list[Apply] = []
    for member, label, texts in seats:
        if not label or len(label) > LONGEST_LABEL:
            raise InvalidValue(f"A seat needs a name of 1 to {LONGEST_LABEL} letters; got “{label}”.")
        before = dict(plan.seats.attributes.get(member, {})) if plan.seats is not None and member else {}
        known = _attributes(plan, label, texts, before)
        wanted, held = known.pop(MOVE, ""), str(before.get(MOVE, ""))
        move = _move_name(plan, str(wanted), known, new_moves, in_moves)
        if move:
            known[MOVE] = move
        target = ((dimension, label),)
        if held and held != move and any(one.name == held for one in plan.model.moves):
            out = [edits.take_out_of_move(held, plan.name(part), target, "") for part in SEAT_LINES]
            in_moves[:0] = out
        if move and held != move:
            counts = Change(plan.name(SEAT_LINES[0]), Operation.SET, 1.0, target)
            tied = Change(plan.name(SEAT_LINES[1]), Operation.WITH_MOVE, members=target)
            in_moves.append(edits.put_in_move(move, [counts, tied], ""))
        said = f"seat in {known[plan.teams.name]} from {Month.parse(str(known['start'])).label}"
        if member:
            said = _seat_told(plan, before, known, "" if label == member else f"before {member}") or said
        if not member and plan.seats is None:
            added[label] = known
        elif not member:
            steps.append(edits.add_member(dimension, label, "", known))
        else:
            if known == before and label == member:
                continue
            steps.append(edits.change_member(dimension, member, "", label, known))
    if added:
        steps.append(edits.add_dimension(dimension, f"{plan.given.label}: seats", tuple(added), "", added))
        steps.append(edits.change_schedule(plan.given.name, "", settings={"seats": dimension}))
    if not steps and not in_moves:
        raise InvalidValue("Nothing was changed.")
    return together([*steps, *in_moves], f"{told}{said}" if len(seats) == 1 else told.rstrip(": "))


def _attributes(
    plan: TeamPlan, label: str, texts: Mapping[str, str], before: dict[str, str | float]
) -> dict[str, str | float]:
    known = dict(before)
    if TEAM in texts or not before:
        team = texts.get(TEAM, "").strip()
        named = next((one for one in plan.teams.members if one.lower() == team.lower()), "")
        if not named:
            raise InvalidValue(f"{label}: expected a team, one of {', '.join(plan.teams.members)}; got “{team}”.")
        known[plan.teams.name] = named
    for setting in SEAT:
        if setting.key not in texts:
            continue
        text = texts[setting.key].strip()
        if not text:
            known.pop(setting.key, None)
            continue
        try:
            value = read_setting(setting, text, None, plan.model)
        except InvalidValue as fault:
            raise InvalidValue(f"{label}, {fault.sentence}") from fault
        if value is None:  # the usual answer
            known.pop(setting.key, None)
        else:
            known[setting.key] = value
    if "start" not in known:
        raise InvalidValue(f"{label} needs a month it starts in, such as Jan 27.")
    if "end" in known and Month.parse(str(known["end"])) < Month.parse(str(known["start"])):
        first, last = (Month.parse(str(known[key])).label for key in ("start", "end"))
        raise InvalidValue(f"{label} ends in {last}, before it starts in {first}.")
    return known


def _move_name(plan: TeamPlan, wanted: str, known: Mapping[str, Any], new: dict[str, str], steps: list[Apply]) -> str:
    """The name of the move a seat belongs to; a label nobody knows becomes a new move from the seat's start."""
    if not wanted:
        return ""
    for move in plan.model.moves:
        if wanted.lower() in (move.label.lower(), move.name):
            return move.name
    if wanted.lower() not in new:
        name = name_from(wanted, {move.name for move in plan.model.moves} | set(new.values()))
        new[wanted.lower()] = name
        steps.append(edits.add_move(Move(name, wanted, Month.parse(str(known["start"]))), ""))
    return new[wanted.lower()]
