"""`fold-basket show`: a report from files and one line."""

import io
import shutil
import sys

import pytest

from foldbasket import cli


@pytest.fixture
def files(demo, tmp_path):
    names = ["order_lines.csv", "orders.csv", "customers.csv", "varieties.csv"]
    return [str(shutil.copy(demo.parent / name, tmp_path / name)) for name in names]


def test_files_are_linked_where_that_is_sure_and_it_is_said(files, capsys):
    assert cli.main(["show", *files, "net by region, trade only"]) == 0
    told = capsys.readouterr()
    assert "Order lines is linked to Orders by Order no." in told.err
    assert "Net, summed for each Region keeping Channel: Trade" in told.err
    assert [line.split()[0] for line in told.out.splitlines()][:1] == ["Region"]
    assert told.out.splitlines()[-1].startswith("Everything")


def test_a_basket_is_asked_in_words_or_by_the_name_of_a_fold(demo, tmp_path, capsys):
    assert cli.main(["show", str(demo), "Net sales by site", "--to", str(tmp_path / "sites.csv"), "--quiet"]) == 0
    assert (tmp_path / "sites.csv").read_text("utf-8-sig").splitlines()[-1].startswith("Everything")
    assert cli.main(["show", str(demo), "records by channel", "--quiet"]) == 0
    assert capsys.readouterr().out.splitlines()[0].split() == ["Channel", "Records"]


def test_it_reads_standard_input(monkeypatch, capsys):
    monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(b"Site;Net\nEast;1,50\nWest;2,25\nEast;3,00\n")))
    assert cli.main(["show", "-", "net by site", "--quiet"]) == 0
    assert [line.split() for line in capsys.readouterr().out.splitlines() if "─" not in line] == [
        ["Site", "Net"], ["East", "4.50"], ["West", "2.25"], ["Everything", "6.75"],
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("said", "what"),
    [
        ("nett by region", "there is nothing called “nett” (at 1). Did you mean “Net”?"),
        ("", "this asks for nothing"),
        ("by", "ends too early"),
    ],
)
def test_a_sentence_that_cannot_be_read_is_told_in_one_line(demo, capsys, said, what):
    assert cli.main(["show", str(demo), said]) == 1
    told = capsys.readouterr()
    assert what in told.err
    assert len(told.err.splitlines()) == 1
    assert not told.out


def test_a_basket_stands_alone(demo, files, capsys):
    assert cli.main(["show", str(demo), files[0], "net by region"]) == 1
    assert "a basket brings its sources itself" in capsys.readouterr().err
