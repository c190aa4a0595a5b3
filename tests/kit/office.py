"""Workbooks recalculated by another program: a spreadsheet without a screen."""

import re
import subprocess
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from zipfile import ZIP_DEFLATED, ZipFile

from python_calamine import CalamineWorkbook

_KEPT = TemporaryDirectory(prefix="widefork-office-")
ALWAYS = """<?xml version="1.0" encoding="UTF-8"?>
<oor:items xmlns:oor="http://openoffice.org/2001/registry" xmlns:xs="http://www.w3.org/2001/XMLSchema">
<item oor:path="/org.openoffice.Office.Calc/Formula/Load">
<prop oor:name="OOXMLRecalcMode"><value>0</value></prop></item>
</oor:items>"""
"""Its settings: whatever figures stand in a file, all of it is computed when it is opened."""


def recalculate(files, folder):
    """Return the sheets of workbooks after another program computed every cell: by file, by sheet, rows of cells."""
    out = folder / "out"
    command = ["soffice", f"-env:UserInstallation=file://{_profile()}", "--headless", "--convert-to", "xlsx"]
    subprocess.run([*command, "--outdir", str(out), *map(str, files)], check=True, capture_output=True, timeout=900)
    return [sheets(out / Path(file).name) for file in files]


@cache
def _profile():
    """Where the program keeps its settings: made once for each process that tests, as making it takes seconds."""
    folder = Path(_KEPT.name)
    (folder / "user").mkdir()
    (folder / "user" / "registrymodifications.xcu").write_text(ALWAYS, "utf-8")
    return folder


def sheets(path):
    """Return a workbook's sheets as it stands: by name, rows of cells, as many columns in each."""
    book = CalamineWorkbook.from_path(path)
    return {name: book.get_sheet_by_name(name).to_python(skip_empty_area=False) for name in book.sheet_names}


def formulas(path):
    """Return a workbook's formulas: by sheet's name, by address."""
    with ZipFile(path) as archive:
        return {
            name: dict(re.findall(r'<c r="([A-Z]+\d+)"[^>]*><f>(.*?)</f>', archive.read(part).decode()))
            for name, part in _parts(archive).items()
        }


def with_cells(path, target, cells):
    """Write a copy of a workbook with other contents in some cells: numbers or texts by (sheet, address)."""
    with ZipFile(path) as archive, ZipFile(target, "w", ZIP_DEFLATED) as copy:
        parts = _parts(archive)
        for entry in archive.infolist():
            content = archive.read(entry.filename)
            own = [(at, value) for (sheet, at), value in cells.items() if parts[sheet] == entry.filename]
            if own:
                text = content.decode()
                for at, value in own:
                    text, count = re.subn(rf'<c r="{at}"( s="\d+")?[^>]*>.*?</c>', _cell(at, value), text, count=1)
                    assert count == 1, (at, "is no cell")
                content = text.encode()
            copy.writestr(entry, content)
    return target


def _cell(at, value):
    if isinstance(value, str):
        return rf'<c r="{at}"\1 t="inlineStr"><is><t>{value}</t></is></c>'
    return rf'<c r="{at}"\1><v>{value}</v></c>'


def _parts(archive):
    """The files of an archive that hold sheets, by the sheets' names."""
    book = archive.read("xl/workbook.xml").decode()
    names = re.findall(r'<sheet name="([^"]*)"', book)
    unescaped = [name.replace("&amp;", "&").replace("&lt;", "<").replace("&gt;", ">") for name in names]
    return {name: f"xl/worksheets/sheet{place}.xml" for place, name in enumerate(unescaped, 1)}
