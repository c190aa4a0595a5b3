"""Taking an edit back, cell by cell: what somebody changed beside it since then stays.

A row that is still there gets back only what the edit changed in it; in a rule only the months, in a document only the
entries. Where one of those was changed since, taking it back is refused.
"""

from collections.abc import Callable, Iterable
from typing import Any

import numpy as np

from widefork.core.axes import Timeline
from widefork.core.rules import RULES, Rule, read_rule, refit, write_rule
from widefork.store.edit import Edit
from widefork.store.errors import UndoRefused
from widefork.store.rows import Row, document_of
from widefork.store.tables import ENTITIES, EditItemRow, LineRow

ABSENT = object()
RuleByMember = dict[tuple[int, ...], Rule]


class _ChangedSince(Exception):
    """A part of a row was changed since."""


def reverse(edit: Edit, items: Iterable[EditItemRow], sentence: str) -> None:
    """Bring back what an edit touched.

    Raises
    ------
    UndoRefused: somebody changed the same since.
    """
    for item in reversed(list(items)):
        row = edit.rows.get(item.entity, item.entity_id)
        try:
            _reverse_row(edit, item, row)
        except _ChangedSince:
            raise UndoRefused(f"This can no longer be undone, because it was changed since: {sentence}.") from None


def _reverse_row(edit: Edit, item: EditItemRow, row: Row | None) -> None:
    now = document_of(row) if row is not None else None
    if (now is None) != (item.after is None):
        raise _ChangedSince
    if row is None or now is None:
        edit.add(ENTITIES[item.entity](**item.before or {}))
    elif item.before is None:
        # What was logged before a column came is read with the column's usual value.
        if now != document_of(ENTITIES[item.entity](**item.after or {})):
            raise _ChangedSince
        edit.remove(row)
    else:
        before, after = item.before, item.after or {}
        changed = [key for key in {**before, **after} if before.get(key) != after.get(key)]
        edit.update(row, **{key: _merged(edit, row, key, before[key], after[key], now[key]) for key in changed})


def _merged(edit: Edit, row: Row, column: str, before: Any, after: Any, now: Any) -> Any:
    if now == after:
        return before
    if isinstance(row, LineRow) and column == "rules" and now and before and after:
        return _merged_rules(edit, row, before, after, now)
    if isinstance(row, LineRow) and column == "actuals":
        return _merged_actuals(before, after, now)
    return merge(before, after, now)


def merge(before: Any, after: Any, now: Any) -> Any:
    """Return ``now`` with the entries an edit changed from ``before`` to ``after`` as they were before it.

    Raises
    ------
    _ChangedSince: one of those entries was changed since.
    """
    if now == after:
        return before
    if before == after:
        return now
    if not all(isinstance(document, dict) for document in (before, after, now)):
        raise _ChangedSince
    merged = dict(now)
    for key in {**before, **after, **now}:
        found = merge(before.get(key, ABSENT), after.get(key, ABSENT), now.get(key, ABSENT))
        if found is ABSENT:
            merged.pop(key, None)
        else:
            merged[key] = found
    return merged


def _merged_rules(edit: Edit, row: LineRow, before: Any, after: Any, now: Any) -> list[dict[str, Any]]:
    timeline = edit.present_model().timeline
    keys = _all_keys(edit, row, (*before, *after, *now))
    was, became, stands = (_by_member(document, keys) for document in (before, after, now))
    merged = {key: _merged_rule(was[key], became[key], stands[key], timeline) for key in keys}
    if row.dimensions and len(set(merged.values())) == 1 and any(not entry["members"] for entry in (*before, *now)):
        merged = {(): next(iter(merged.values()))}
    return [{"members": list(key), "rule": write_rule(RULES, rule)} for key, rule in merged.items()]


def _merged_rule(before: Rule, after: Rule, now: Rule, timeline: Timeline) -> Rule:
    if now == after or before == after:
        return before if now == after else now
    was, became, stands = (rule.values(timeline) for rule in (before, after, now))
    changed = was != became
    if not np.array_equal(stands[changed], became[changed]):
        raise _ChangedSince
    return refit(now, timeline, np.where(changed, was, stands))


def _all_keys(edit: Edit, row: LineRow, entries: Iterable[dict[str, Any]]) -> list[tuple[int, ...]]:
    named = [tuple(entry["members"]) for entry in entries if entry["members"]]
    if not row.dimensions:
        return [()]
    line = edit.present_model().line(row.name)
    every = [tuple(edit.rows.key_ids(line.dimensions, key)) for key in edit.present_model().keys_of(line)]
    return list(dict.fromkeys([*every, *named])) if named else [()]


def _by_member(document: list[dict[str, Any]], keys: list[tuple[int, ...]]) -> RuleByMember:
    given = {tuple(entry["members"]): read_rule(RULES, entry["rule"]) for entry in document}
    nothing = read_rule(RULES, 0)
    return {key: given.get(key, given.get((), nothing)) for key in keys}


def _merged_actuals(before: Any, after: Any, now: Any) -> list[dict[str, Any]]:
    """Actual months as entries of their own."""
    as_entries: Callable[[Any], dict[Any, Any]] = lambda document: {  # noqa: E731
        (tuple(entry["members"]), place): amount for entry in document for place, amount in enumerate(entry["values"])
    }
    merged = merge(*(as_entries(document) for document in (before, after, now)))
    members = dict.fromkeys(key for key, _ in merged)
    return [
        {"members": list(key), "values": [merged.get((key, place)) for place in range(_length(merged, key))]}
        for key in members
    ]


def _length(months: dict[Any, Any], key: Any) -> int:
    return 1 + max(int(place) for owner, place in months if owner == key)
