"""The difference between two cases, by cause."""

from widefork.core.analysis.bridge.bridge import Bridge, Step, bridge, walk
from widefork.core.analysis.bridge.causes import Cause, Causes, causes_between

__all__ = ["Bridge", "Cause", "Causes", "Step", "bridge", "causes_between", "walk"]
