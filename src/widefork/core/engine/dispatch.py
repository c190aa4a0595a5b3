"""The one way to evaluate a plan: by the machine, or plainly while that is not there."""

import sys
from collections.abc import Sequence
from pathlib import Path
from threading import Lock
from typing import TYPE_CHECKING

from widefork.core.graph.calculate import ChangeList, Results, evaluate_plainly
from widefork.core.graph.plan import Plan

if TYPE_CHECKING:
    from widefork.core.engine.machine import Machine

_lock = Lock()
_warm: list[bool] = []


def evaluate(plan: Plan, batch: Sequence[ChangeList] = ((),), lines: Sequence[str] | None = None) -> Results:
    """Return the values of a model under each change list of a batch.

    Parameters
    ----------
    plan : the compiled model.
    batch : change lists, each applied in its own order; at least one.
    lines : the lines wanted; only they and what they are computed from are evaluated. None for all.

    Returns
    -------
    Results. A value that cannot be computed (a division by zero, a line with a faulty formula) is NaN, and so is
    everything computed from it.

    Raises
    ------
    UnknownName: a change on an unknown line or member.
    ChangeRefused: a change on a caption, a total or a line that reads its own past.
    """
    return with_machine(plan, batch, lines) if is_warm() else evaluate_plainly(plan, batch, lines)


def with_machine(plan: Plan, batch: Sequence[ChangeList] = ((),), lines: Sequence[str] | None = None) -> Results:
    """Return the same as ``evaluate``, by the machine even if it must be loaded first."""
    machine = _machine_of(plan)
    if machine is None:
        return evaluate_plainly(plan, batch, lines)
    plan.check_batch(batch)
    return machine.evaluate(plan, batch, lines)


def is_warm() -> bool:
    """Return whether the machine is loaded and compiled."""
    return bool(_warm)


def is_compiled() -> bool:
    """Return whether an earlier run left the compiled kernel, so that it only needs to be loaded."""
    version = f"py{sys.version_info.major}{sys.version_info.minor}"
    source = Path(__file__).with_name("kernel.py")
    kept = (source.parent / "__pycache__").glob(f"kernel.run-*.{version}.nbi")
    return any(found.stat().st_mtime >= source.stat().st_mtime for found in kept)


def warm_up() -> None:
    """Load the machine and run it once, so that it is compiled; a few seconds the first time on a machine."""
    from widefork.core.engine.compile_kernel import compile_kernel

    with _lock:
        if not _warm:
            compile_kernel()
            _warm.append(True)


def _machine_of(plan: Plan) -> "Machine | None":
    if "machine" not in plan.shared:
        from widefork.core.engine.lower import write_program  # loaded with the machine, and not before
        from widefork.core.engine.machine import Machine

        program = write_program(plan)
        plan.shared["machine"] = None if program is None else Machine(program)
    found: Machine | None = plan.shared["machine"]
    return found
