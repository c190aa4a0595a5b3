"""widefork export: a workbook out, one sentence for every mistake."""

from datetime import UTC, datetime
from pathlib import Path

import pytest
from click.testing import CliRunner

from tests.kit.office import sheets
from widefork.cli.main import main

MODEL = Path(__file__).parents[1] / "models" / "two_dimensions.yaml"


def run(*arguments):
    return CliRunner().invoke(main, ["export", str(MODEL), *map(str, arguments)])


def test_a_workbook_is_written_with_the_case_asked_for(tmp_path):
    result = run(tmp_path / "out.xlsx", "--case", "north_up")
    assert result.exit_code == 0
    assert "of 1,068 calculated cells are formulas" in result.output
    rows = sheets(tmp_path / "out.xlsx")["Contents"]
    assert rows[3][:2] == ["Case", "North up"]
    assert rows[6][1] == f"{datetime.now(UTC):%d %b %Y}"
    assert "as values: Whole, as members are rounded together" in result.output
    assert rows[-1][0] == "Whole"


@pytest.mark.parametrize(
    ("arguments", "said"),
    [(("out.txt",), "A workbook ends in .xlsx"), (("out.xlsx", "--case", "worse"), "worse"),
     (("/nowhere/at/all/out.xlsx",), "cannot be written")],
)  # fmt: skip
def test_what_cannot_be_done_is_one_sentence(arguments, said, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    result = run(*arguments)
    assert result.exit_code != 0
    assert said in result.output
    assert len(result.output.strip().splitlines()) == 1
    assert list(tmp_path.iterdir()) == []
