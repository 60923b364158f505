"""Delimited text that people open never runs: reports, records, indexes and the clipboard, headings and members alike."""

import csv
import io

import pytest
from tests.folding.build import measure, placed, source, table

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.folding.engine import Engine
from foldbasket.folding.listed import Wanted, list_records, usual_fields
from foldbasket.folding.proof import proof_of
from foldbasket.outputs.formats import save_report
from foldbasket.outputs.index import Entry, save_index
from foldbasket.outputs.records import lines_of, save_records
from foldbasket.spec.fold import Fold
from foldbasket.tables.progress import Progress

BAD = ["=cmd|' /C calc'!A0", "+1+1", "-2+3", "@SUM(A1)", "|calc", "%0A=1", " =1", "x;=1", "x\t=1", "x\n=1", "＝1"]
RUN = "=+-@|%＝"


def cells_of(text):
    """What a spreadsheet could take for a cell, whatever it cuts lines at."""
    for line in csv.reader(io.StringIO(text)):
        for cell in line:
            for piece in cell.replace("\r", "\n").replace(";", "\n").replace("\t", "\n").split("\n"):
                yield piece.lstrip()


def is_number(text):
    try:
        return bool(text == text.strip() and (float(text) or True))
    except ValueError:
        return False


def assert_harmless(text):
    assert [piece for piece in cells_of(text) if piece and piece[0] in RUN and not is_number(piece)] == []


@pytest.fixture
def engine():
    return Engine(source(table("T", {"=Site": BAD, "-Net": [-1.5e-7, *[at * -1.0 for at in range(1, len(BAD))]]})))


FOLD = Fold("=f", (measure("sum", "T.-Net"),), (placed("T.=Site"),))


def test_a_report(engine, tmp_path):
    save_report(engine.fold(FOLD), tmp_path / "r.csv", guard=OutputGuard())
    assert_harmless((tmp_path / "r.csv").read_text("utf-8"))


def test_an_index(tmp_path):
    entries = [Entry(text, text, tmp_path / "=x.csv", -1, 2, 3, 4) for text in BAD]
    save_index(entries, tmp_path / "index.csv", "t", OutputGuard())
    text = (tmp_path / "index.csv").read_text("utf-8")
    assert_harmless(text)
    assert ",-1,2,3,4" in text.splitlines()[1], "numbers stay numbers"


def test_records_behind_a_cell(engine, tmp_path):
    report = engine.fold(FOLD)
    proof = proof_of(engine, FOLD, report, report.height - 1, 0)
    records = list_records(proof, Wanted(usual_fields(FOLD, proof)), most=None)
    save_records(records, tmp_path / "r.csv", Progress(), OutputGuard())
    text = (tmp_path / "r.csv").read_text("utf-8")
    assert_harmless(text)
    assert "-1.5e-07" in text
    assert "'-1.5e-07" not in text
    copied = lines_of(records, range(len(BAD)))
    assert not any(cell[:1] in RUN for cell in copied.splitlines()[0].split("\t"))
