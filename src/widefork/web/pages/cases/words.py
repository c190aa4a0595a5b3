"""Steps in words, as the pages of cases say them: what is done, and where and when."""

from widefork.core.changes import Layer, Move, Switch
from widefork.core.graph.model import Model
from widefork.web.shared.wording import change_parts


def layer_words(layer: Layer, model: Model) -> tuple[str, str]:
    """Return a step as its name with what it does, and where and when."""
    if isinstance(layer.step, Switch):
        move = model.move_by_name[layer.step.move]
        return move.label, switch_words(layer.step, move)
    what, when = change_parts(layer.step, model)
    return f"{model.line(layer.step.line).label} {what}", when


def switch_words(switch: Switch, move: Move) -> str:
    """Return from when and how strongly a move is on."""
    start = switch.start or move.start
    own = ", own start" if switch.start not in (None, move.start) else ""
    strength = "" if switch.strength == 1 else f", {switch.strength * 100:g} %"
    return f"from {start.label}{own}{strength}"


def step_words(layer: Layer, model: Model) -> str:
    """Return a step in one phrase."""
    what, when = layer_words(layer, model)
    return f"{what} {when}".strip()
