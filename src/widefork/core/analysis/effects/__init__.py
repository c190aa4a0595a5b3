"""What each move does to a figure in a case: by itself, and given all others."""

from widefork.core.analysis.effects.effects import Effect, move_effects

__all__ = ["Effect", "move_effects"]
