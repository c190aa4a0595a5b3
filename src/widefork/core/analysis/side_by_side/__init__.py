"""Values of several cases given at once, and the steps that make them so."""

from widefork.core.analysis.side_by_side.block import Given, months_of, root_changes, steps_for

__all__ = ["Given", "months_of", "root_changes", "steps_for"]
