"""The edits a person can make. Each returns what ``ModelStore.edit`` calls inside its transaction.

What is edited in the root case changes the entry rule itself, and so flows into every case; in any other case it
becomes a change of that case alone. Formulas, lines, sections and the frame belong to the model, and so to all cases.
"""

from widefork.store.edit import Apply
from widefork.store.edits.cases import (
    add_case,
    add_merged,
    adopt,
    archive_case,
    bring_case_back,
    bundle_steps,
    change_case,
    copy_steps,
    move_case,
    move_step,
    put_back,
    put_under,
    remove_case,
    replace_step,
    set_side_by_side,
    take_out,
)
from widefork.store.edits.closings import close_month, reopen_month, set_closing_note
from widefork.store.edits.detach import detach_schedule
from widefork.store.edits.figures import add_figure, change_figure, remove_figure
from widefork.store.edits.frame import (
    add_dimension,
    add_flag,
    add_member,
    add_profile,
    change_dimension,
    change_flag,
    change_member,
    change_model,
    change_profile,
    change_timeline,
    move_member,
    remove_dimension,
    remove_flag,
    remove_member,
    remove_profile,
)
from widefork.store.edits.limits import add_limit, change_limit, remove_limit
from widefork.store.edits.lines import (
    add_line,
    change_line,
    duplicate_line,
    make_assumption,
    make_calculated,
    move_line,
    remove_line,
    rename_line,
    set_formula,
)
from widefork.store.edits.liquidity import set_days, set_lowest_level, set_under_way
from widefork.store.edits.moves import add_move, put_in_move, switch_off, switch_on, take_out_of_move
from widefork.store.edits.notes import write_note
from widefork.store.edits.outgoings import answer_usual
from widefork.store.edits.patterns import remove_written, write_lines
from widefork.store.edits.rows import together
from widefork.store.edits.schedules import add_schedule, change_schedule, move_schedule, remove_schedule
from widefork.store.edits.sections import add_section, change_section, move_section, remove_section
from widefork.store.edits.values import (
    CellsBack,
    back_to_parent,
    change_cells,
    change_months,
    set_actuals,
    set_rule,
)

__all__ = [
    "Apply",
    "CellsBack",
    "add_case",
    "add_dimension",
    "add_figure",
    "add_flag",
    "add_limit",
    "add_line",
    "add_member",
    "add_merged",
    "add_move",
    "add_profile",
    "add_schedule",
    "add_section",
    "adopt",
    "answer_usual",
    "archive_case",
    "back_to_parent",
    "bring_case_back",
    "bundle_steps",
    "change_case",
    "change_cells",
    "change_dimension",
    "change_figure",
    "change_flag",
    "change_limit",
    "change_line",
    "change_member",
    "change_model",
    "change_months",
    "change_profile",
    "change_schedule",
    "change_section",
    "change_timeline",
    "close_month",
    "copy_steps",
    "detach_schedule",
    "duplicate_line",
    "make_assumption",
    "make_calculated",
    "move_case",
    "move_line",
    "move_member",
    "move_schedule",
    "move_section",
    "move_step",
    "put_back",
    "put_in_move",
    "put_under",
    "remove_case",
    "remove_dimension",
    "remove_figure",
    "remove_flag",
    "remove_limit",
    "remove_line",
    "remove_member",
    "remove_profile",
    "remove_schedule",
    "remove_section",
    "remove_written",
    "rename_line",
    "reopen_month",
    "replace_step",
    "set_actuals",
    "set_closing_note",
    "set_days",
    "set_formula",
    "set_lowest_level",
    "set_rule",
    "set_side_by_side",
    "set_under_way",
    "switch_off",
    "switch_on",
    "take_out",
    "take_out_of_move",
    "together",
    "write_lines",
    "write_note",
]
