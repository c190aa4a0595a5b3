"""Runs every part of the kernel once on a tiny model, so that it is compiled and loaded."""

from widefork.core.axes import Month, Timeline
from widefork.core.changes import Change, Operation
from widefork.core.engine.lower import write_program
from widefork.core.engine.machine import KEPT_WHOLE, Machine
from widefork.core.graph.model import Model
from widefork.core.graph.plan import compile_model
from widefork.core.lines import Line, Section
from widefork.core.rules import RULES, read_rule


def compile_kernel() -> None:
    """Evaluate a two-line model whole, and as a batch that rides on it."""
    lines = (
        Line("given", "Given", section="all", rules={(): read_rule(RULES, 1)}),
        Line(
            "stepped", "Stepped", section="all", formula="max(before(stepped) * 0.5, given / 3) + running_total(given)"
        ),
        Line("solved", "Solved", section="all", formula="1 + solved / 2", allow_loop=True),
    )
    model = Model("Warm-up", "EUR", Timeline(Month(2026, 1), 2), sections=(Section("all", "All"),), lines=lines)
    plan = compile_model(model)
    program = write_program(plan)
    assert program is not None
    machine = Machine(program)
    machine.evaluate(plan, [()])
    changes = [(Change("given", Operation.SET, float(amount)),) for amount in range(KEPT_WHOLE + 1)]
    machine.evaluate(plan, changes, ["stepped"])


if __name__ == "__main__":
    compile_kernel()
