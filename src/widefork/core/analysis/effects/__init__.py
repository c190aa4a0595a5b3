"""What each move does to a figure in a case: by itself, and given all others."""

from widefork.core.analysis.effects.effects import Effect, Effects, move_effects

__all__ = ["Effect", "Effects", "move_effects"]
