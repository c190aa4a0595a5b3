"""What the forms of Actuals do: read books, place accounts, close a month, open it again."""

from collections.abc import Mapping
from dataclasses import replace

from werkzeug.datastructures import FileStorage

from widefork.core.errors import InvalidValue
from widefork.files.tables import read_table
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.pages.actuals.close import Closed
from widefork.web.pages.actuals.sheet import Sheet, read_sheet
from widefork.web.shared.blocks import read_block

LONGEST_NOTE = 600
Form = Mapping[str, str]


def read_books(form: Form, file: FileStorage | None, known: Sheet | None) -> Sheet:
    """Return the books pasted or loaded; places, ages and notes of those there were stay.

    Raises
    ------
    InvalidValue: nothing given, or no table of accounts and amounts. TwoReadings: an unclear decimal mark.
    """
    mark = form.get("mark", "")
    if file is not None and file.filename:
        rows = read_table(file.filename, file.read())
        mark = "." if file.filename.lower().endswith(".xlsx") else mark  # its cells are numbers, written by us
    elif form.get("text", "").strip():
        rows = read_block(form["text"])
    else:
        raise InvalidValue("Nothing came. Paste the accounts with their amounts, or choose a .csv, .xlsx or .ods file.")
    sheet = read_sheet(rows, mark)
    return sheet if known is None else replace(sheet, placed=known.placed, ages=known.ages, notes=known.notes)


def arranged(sheet: Sheet, form: Form, accounts: list[str], places: list[str]) -> Sheet:
    """Return the books with what the person said of columns, places, ages and notes."""
    if form.get("name_column", "").isdecimal() and form.get("amount_column", "").isdecimal():
        credit = form.get("credit_column", "")
        columns = int(form["name_column"]), int(form["amount_column"]), int(credit) if credit.isdecimal() else -1
        if columns != (sheet.name_column, sheet.amount_column, sheet.credit_column):
            sheet = sheet.with_columns(*columns)
        sheet = replace(sheet, is_to_date=form.get("to_date") == "yes")
    told = dict(zip(accounts, places, strict=False))
    ages = _ages(form)
    notes = {key.removeprefix("note:"): _note(text) for key, text in form.items() if key.startswith("note:")}
    return replace(
        sheet,
        placed={**sheet.placed, **told},
        ages={**sheet.ages, **ages},
        notes={**sheet.notes, **notes},
    )


def _ages(form: Form) -> dict[str, str]:
    """What is open by age, typed into a field each (the newest is 0), by schedule."""
    typed: dict[str, dict[int, str]] = {}
    for key, text in form.items():
        kind, _, rest = key.partition(":")
        schedule, _, age = rest.rpartition(":")
        if kind == "age" and age.isdecimal():
            typed.setdefault(schedule, {})[int(age)] = text.strip()
    found = {}
    for schedule, parts in typed.items():
        is_given = form.get(f"aged:{schedule}") == "yes" or form.get("changed", "").startswith(f"age:{schedule}:")
        texts = [parts[age] or "0" for age in sorted(parts, reverse=True)]
        found[schedule] = ";".join(texts) if is_given and any(parts.values()) else ""
    return found


def closing_edit(closed: Closed, despite_difference: bool, is_correction: bool) -> Apply:
    """Return the edit that closes a month, or gives a closed one other figures.

    Raises
    ------
    InvalidValue: accounts without a place, ages that do not add up, a plan that would not compute, or books that do
        not balance by themselves unless told that they may.
    """
    waiting = [account.name for account in closed.open_accounts]
    if waiting:
        raise InvalidValue(
            f"{len(waiting)} of the accounts have no place yet: {', '.join(waiting[:3])}. Choose one, or “leave out”."
        )
    faults = [ages.fault for ages in closed.ages if ages.fault]
    if faults or closed.fault:
        raise InvalidValue((*faults, closed.fault)[0])
    if not closed.taken.figures and not closed.taken.own:
        raise InvalidValue("Every account is left out, so there is nothing to close the month with.")
    if closed.is_unbalanced and not despite_difference:
        raise InvalidValue(
            "The books do not balance by themselves; the difference stands above. Mend them and paste again, or tick "
            "that they are to be taken as they are."
        )
    count = len(closed.taken.figures) + len(closed.taken.own)
    said = "corrected by" if is_correction else "closed with"
    figures = "figure" if count == 1 else "figures"
    return edits.close_month(
        closed.closing, closed.taken.own, f"{closed.month.label} {said} {count} {figures} of the books"
    )


def note_edit(month_text: str, form: Form) -> tuple[str, str]:
    """Return the line and the note a form gives."""
    return form.get("line", ""), _note(form.get("note", ""))


def _note(text: str) -> str:
    note = text.strip()
    if len(note) > LONGEST_NOTE:
        raise InvalidValue(f"A note has at most {LONGEST_NOTE} letters; this one has {len(note)}.")
    return note
