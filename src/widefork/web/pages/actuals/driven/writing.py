"""Drivers into the plan: the line becomes a formula, its drivers lines, its effects assumptions; one gesture."""

from collections.abc import Collection, Mapping, Sequence

from widefork.core.analysis.trends import Cause, Explained, Known, all_known, cause_label, plan_formula
from widefork.core.errors import InvalidValue, WideforkError
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.shared.context import View
from widefork.web.shared.naming import name_from


def writing_formula(
    view: View, known: Known, causes: Sequence[Cause], found: Mapping[str, Explained | WideforkError]
) -> Apply:
    """Return the edit that makes a line a formula of its drivers; raise InvalidValue, see ``plan_formula``."""
    model = view.snapshot.model
    target = known.line
    if target is None:
        raise InvalidValue(f"{known.label} is no line of the plan; add one of that name first.")
    by_key = {
        each.key: own
        for each in all_known(model)
        if each.line is target and each.key is not None and isinstance(own := found.get(each.name), Explained)
    }
    written = plan_formula(target, causes, by_key, model, _named)
    drivers = ", ".join(dict.fromkeys(cause_label(cause, model) for cause in causes))
    sentence = f"{target.label} as a formula of {drivers}"
    steps: list[Apply] = [edits.add_line(line, sentence, target.name) for line in reversed(written.lines)]
    steps.append(edits.make_calculated(target.name, written.formula, sentence))
    steps += [edits.set_spread(spread, sentence) for spread in written.spreads]
    return edits.together(steps, sentence)


def _named(words: str, taken: Collection[str]) -> str:
    return name_from(words, taken)
