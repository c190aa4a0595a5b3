"""Changes in words, as pages say them."""

from widefork.core.changes import Change, Operation
from widefork.core.graph.model import Model
from widefork.web.shared import formats


def change_words(change: Change, model: Model) -> str:
    """Return a change as a phrase."""
    line = model.line(change.line)
    what = {
        Operation.SET: f"set to {formats.exact(change.amount, line.unit)}",
        Operation.ADD: f"{formats.exact_difference(change.amount, line.unit)}",
        Operation.SCALE: f"× {formats.written_out(change.amount)}",
        Operation.STOP: "stopped",
        Operation.DELAY: f"{change.amount:g} months later",
        Operation.DEFER: f"{change.amount * 100:g} % put off, caught up over {change.catch_up_months} months",
    }[change.operation]
    if change.strength != 1:
        what += f" at {change.strength * 100:g} % strength"
    where = f" in {', '.join(member for _, member in change.members)}" if change.members else ""
    first = f" from {change.first.label}" if change.first else ""
    last = f" to {change.last.label}" if change.last else ""
    why = f" ({change.note})" if change.note else ""
    return f"{what}{where}{first}{last}{why}"
