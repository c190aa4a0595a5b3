"""Changes that did nothing."""

from widefork.core.analysis.idle.idle import Idle, idle_changes

__all__ = ["Idle", "idle_changes"]
