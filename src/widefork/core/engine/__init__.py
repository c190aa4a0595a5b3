"""Evaluating models: by the machine once it is warm, plainly until then and where the machine does not know a function.

Loading the compiled kernel takes a second or two, so nothing does it unasked: ``warm_up`` does, in the background of a
server. Both ways give the same values; the plain one is the machine's referee.
"""

from widefork.core.engine.dispatch import evaluate, is_compiled, is_warm, warm_up, with_machine

__all__ = ["evaluate", "is_compiled", "is_warm", "warm_up", "with_machine"]
