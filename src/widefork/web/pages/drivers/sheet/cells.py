"""The sheet as plain data: columns, sections, rows and cells, and what an address asks of it."""

from dataclasses import dataclass, field
from functools import cached_property

from markupsafe import Markup

from widefork.core.look import Look


@dataclass(frozen=True, kw_only=True)
class Column:
    """A period as a table column; ``note`` says which part of it is here, where it is not whole."""

    key: str
    label: str
    note: str
    is_actual: bool
    is_edge: bool
    month: str

    @cached_property
    def css(self) -> Markup:
        """The classes of its cells: history, and the edge where the plan begins."""
        return Markup(f"{'actual' if self.is_actual else ''}{' edge' if self.is_edge else ''}")


@dataclass(frozen=True, kw_only=True)
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


@dataclass(frozen=True, kw_only=True)
class Cell:
    """A figure in the sheet.

    ``typed`` is its value in full; ``moved`` what the latest edit did to it; ``root`` its value in the root case;
    ``why`` says why it stays empty.
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
    why: str = ""


@dataclass(frozen=True, kw_only=True)
class Row:
    """A line, or one member of it.

    ``reach`` is how far what is typed usually holds: ``on`` or ``only``. ``html`` is the row as written out, by the
    root case's label.
    """

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
    html: dict[str, str] = field(default_factory=dict, compare=False, repr=False)

    def keep_html(self, root_label: str, html: str) -> str:
        """Keep the row as written out, for as long as it says the same; return it."""
        self.html[root_label] = html
        return html


@dataclass(frozen=True, kw_only=True)
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


SectionsWritten = dict[str, tuple[tuple[object, ...], str]]
"""Sections as written out, by name: what they were written from, and how."""


@dataclass(frozen=True, kw_only=True)
class Sheet:
    """The whole sheet. ``html`` goes on from one to the next, so that only what changed is written out anew."""

    columns: tuple[Column, ...]
    sections: tuple[SheetSection, ...]
    assumptions: int
    unjustified: str
    column_width: int
    asked: Asked
    unjustified_url: str
    unlock_url: str
    has_actuals: bool
    problems: tuple[tuple[str, str], ...] = field(default=())
    html: SectionsWritten = field(default_factory=dict, compare=False, repr=False)

    def known_html(self, section: SheetSection, root_label: str) -> str:
        """Return a section as it was written out; empty where it says something else now."""
        known = self.html.get(section.name)
        return known[1] if known is not None and known[0] == self._written_from(section, root_label) else ""

    def keep_html(self, section: SheetSection, root_label: str, html: str) -> str:
        """Keep a section as written out, but not one whose rule is open; return it."""
        if not any(row.is_shaped for row in section.rows):
            self.html[section.name] = (self._written_from(section, root_label), html)
        return html

    def _written_from(self, section: SheetSection, root_label: str) -> tuple[object, ...]:
        return section, root_label, self.columns, self.column_width
