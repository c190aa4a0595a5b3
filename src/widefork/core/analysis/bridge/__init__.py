"""The difference between two cases, by cause, and by the lines that carry it."""

from widefork.core.analysis.bridge.bridge import Bridge, Grouping, Step, bridge, walk
from widefork.core.analysis.bridge.by_line import LinePart, carried_by
from widefork.core.analysis.bridge.causes import Cause, Causes, causes_between, does_of

__all__ = [
    "Bridge",
    "Cause",
    "Causes",
    "Grouping",
    "LinePart",
    "Step",
    "bridge",
    "carried_by",
    "causes_between",
    "does_of",
    "walk",
]
