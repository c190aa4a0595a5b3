"""The sheet as plain data: columns, sections, rows and cells, and what an address asks of it."""

from dataclasses import dataclass, field

from widefork.core.look import Look


@dataclass(frozen=True)
class Column:
    """A period as a table column."""

    key: str
    label: str
    is_actual: bool
    is_edge: bool
    month: str


@dataclass(frozen=True)
class Asked:
    """What the address asks of the sheet beside the view.

    Parameters
    ----------
    opened : lines whose members, and schedules whose calculated lines, are shown.
    shaped : the row whose rule is open, as line or line@member/member. kind : the kind of rule tried there.
    only : ``unjustified`` shows assumptions without a note or range alone. is_unlocked : actual months can be typed.
    shown : sections the page has on screen; None when it does not say. focus : a line to be there at once.
    """

    opened: frozenset[str] = frozenset()
    shaped: str = ""
    kind: str = ""
    only: str = ""
    is_unlocked: bool = False
    shown: frozenset[str] | None = None
    focus: str = ""


@dataclass(frozen=True)
class Cell:
    """A figure in the sheet.

    ``typed`` is its value in full; ``moved`` what the latest edit did to it; ``root`` its value in the root case.
    """

    id: str
    text: str
    typed: str
    column: Column
    is_editable: bool
    differs: bool
    root: str
    before: str
    moved: str


@dataclass(frozen=True)
class Row:
    """A line, or one member of it. ``reach`` is how far what is typed usually holds: ``on`` or ``only``."""

    id: str
    name: str
    at: str
    label: str
    unit: str
    words: str
    note: str
    is_assumption: bool
    is_member: bool
    is_total: bool
    can_open: bool
    is_open: bool
    fold_url: str
    shape_url: str
    is_shaped: bool
    reach: str
    problem: str
    warning: str
    has_formula_editor: bool
    has_panel: bool
    look: Look
    cells: tuple[Cell, ...]
    was_edited: bool


@dataclass(frozen=True)
class SheetSection:
    """A chapter.

    ``folded`` counts the lines not shown; ``fold_url`` shows or hides them. A section that is not ``filled`` stands
    there empty, as high as it will be.
    """

    name: str
    label: str
    note: str
    rows: tuple[Row, ...]
    folded: int
    is_open: bool
    fold_url: str
    is_own: bool = True
    is_filled: bool = True
    height: int = 0


@dataclass(frozen=True)
class Sheet:
    """The whole sheet."""

    columns: tuple[Column, ...]
    sections: tuple[SheetSection, ...]
    assumptions: int
    unjustified: int
    column_width: int
    asked: Asked
    unjustified_url: str
    unlock_url: str
    has_actuals: bool
    problems: tuple[tuple[str, str], ...] = field(default=())
