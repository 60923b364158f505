"""The command line: what a newcomer types and what a scheduled run relies on."""

import json
import subprocess
import sys

import pytest
from pypdf import PdfReader

from foldbasket import __version__
from foldbasket.cli import main
from foldbasket.rendering import free_path


def test_render_writes_one_fold_in_the_format_of_the_ending(demo, tmp_path, capsys):
    for ending in ("csv", "xlsx", "html", "txt"):
        target = tmp_path / f"out.{ending}"
        assert main(["render", str(demo), "--fold", "Freight by team", "--to", str(target)]) == 0
        assert target.stat().st_size > 500
    assert "29 rows × 3 columns" in capsys.readouterr().out


def test_render_writes_every_fold_into_a_pattern_and_can_be_quiet(demo, tmp_path, capsys):
    assert main(["render", str(demo), "--to", str(tmp_path / "a" / "{fold}.csv"), "--quiet"]) == 0
    assert len(list((tmp_path / "a").iterdir())) == 6
    assert capsys.readouterr().out == ""


@pytest.mark.parametrize(
    ("arguments", "what"),
    [
        (["--to", "x.csv"], "has 6 folds. Name one with --fold: “Net sales by site”"),
        (["--fold", "None", "--to", "x.csv"], "there is no fold “None”"),
        (["--fold", "Freight by team", "--to", "x.odd"], "no format ends in “.odd”"),
        (["--fold", "Freight by team", "--to", "x.xlsx", "--shape", "cells"], "no shape “cells”"),
    ],
)
def test_render_says_in_one_line_what_is_wrong_and_exits_1(demo, tmp_path, monkeypatch, capsys, arguments, what):
    monkeypatch.chdir(tmp_path)
    assert main(["render", str(demo), *arguments]) == 1
    said = capsys.readouterr().err
    assert said.startswith("fold-basket: ")
    assert what in said
    assert said.count("\n") == 1
    assert list(tmp_path.iterdir()) == []


def test_check_finds_all_well_in_the_demo_and_says_what_is_wrong_elsewhere(demo, tmp_path, capsys):
    assert main(["check", str(demo)]) == 0
    assert "All is well." in capsys.readouterr().out
    (tmp_path / "s.csv").write_text("a,b\n1,x\n")
    ref = {"table": "s", "field": "b"}
    folds = [
        {"name": "good", "rows": [{"id": "1", "field": ref}]},
        {"name": "bad", "measures": [{"id": "1", "aggregate": "sum", "field": ref}]},
    ]
    basket = tmp_path / "b.json"
    basket.write_text(
        json.dumps({"format": "fold-basket", "version": 1, "sources": [{"name": "s", "path": "s.csv"}], "folds": folds})
    )
    assert main(["check", str(basket)]) == 1
    told = capsys.readouterr()
    assert "fold “good”: 2 rows × 0 columns" in told.out
    assert "the fold “bad”: “b” is text, which “Sum” cannot take" in told.err


def test_files_outside_the_basket_need_trust(tmp_path, capsys):
    (tmp_path / "s.csv").write_text("a\n1\n")
    inner = tmp_path / "in"
    inner.mkdir()
    basket = inner / "b.json"
    basket.write_text(
        json.dumps({"format": "fold-basket", "version": 1, "sources": [{"name": "s", "path": "../s.csv"}]})
    )
    assert main(["check", str(basket)]) == 1
    assert "--trust" in capsys.readouterr().err
    assert main(["check", str(basket), "--trust"]) == 0


def test_the_demo_is_the_same_every_time_and_any_size(tmp_path):
    for name in ("a", "b"):
        assert (
            main(
                [
                    "demo",
                    "--lines",
                    "1,000",
                    "--to",
                    str(tmp_path / name),
                    "--format",
                    "parquet" if name == "c" else "csv",
                ]
            )
            == 0
        )
    first, second = ({path.name: path.read_bytes() for path in (tmp_path / name).glob("*.csv")} for name in ("a", "b"))
    assert first == second
    assert len(first) == 8
    assert first["order_lines.csv"].count(b"\n") == 1_001
    assert main(["demo", "--lines", "500", "--to", str(tmp_path / "p"), "--format", "parquet"]) == 0
    assert main(["check", str(tmp_path / "p" / "quillmoor.basket")]) == 0


def test_without_a_display_the_demo_renders_every_fold(tmp_path, monkeypatch, capsys):
    monkeypatch.delenv("DISPLAY", raising=False)
    monkeypatch.delenv("WAYLAND_DISPLAY", raising=False)
    assert main(["demo", "--lines", "2000", "--or-render", str(tmp_path / "out")]) == 0
    assert "There is no display here" in capsys.readouterr().out
    rendered = [path for path in (tmp_path / "out").iterdir() if path.is_file()]
    assert {path.suffix for path in rendered} >= {".csv", ".xlsx", ".html", ".pdf", ".png"}
    assert len([path for path in rendered if path.suffix == ".xlsx"]) == 6
    assert all(path.stat().st_size > 300 for path in rendered)


def test_version_and_help_and_misuse_have_their_exit_codes():
    def run(*arguments):
        return subprocess.run(
            [sys.executable, "-m", "foldbasket", *arguments], capture_output=True, text=True, check=False
        )

    assert run("--version").stdout.strip() == f"Fold Basket {__version__}"
    told = run("--help")
    assert told.returncode == 0
    assert "fold-basket render report.basket --to out.xlsx" in told.stdout
    assert "{fold}" in run("render", "--help").stdout
    assert run("render").returncode == 2
    assert run("demo", "--lines", "0").returncode == 2


def test_the_core_imports_without_qt():
    code = "import sys; sys.modules['PyQt6'] = None; import foldbasket.cli, foldbasket.outputs.formats, foldbasket.demo.scenario, foldbasket.folding.engine"
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


def basket_of(folder, **more):
    (folder / "s.csv").write_text("Site,Net\nOak,1\nAsh,2\n,3\n")
    body = {
        "format": "fold-basket",
        "version": 1,
        "sources": [{"name": "s", "path": "s.csv", "mends": more.pop("mends", [])}],
        "folds": [
            {"name": "F", "measures": [{"id": "m", "aggregate": "sum", "field": {"table": "s", "field": "Net"}}]}
        ],
        **more,
    }
    path = folder / "b.json"
    path.write_text(json.dumps(body))
    return path


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ({"mends": [{"mend": "rename field", "field": "Gone", "to": "X"}]}, "a mend was passed over"),
        ({"calculated": [{"name": "C", "formula": "Net / Gone", "table": "s"}]}, "the field “C” of “s”"),
        ({"calculated": [{"name": "C", "formula": "1", "table": "gone"}]}, "there is no source “gone”"),
        (
            {"folds": [{"name": "F", "measures": [{"id": "m", "aggregate": "count"}], "filters": [
                {"kind": "members", "id": "f", "field": {"table": "s", "field": "Site"}, "members": ["Oakk"], "exclude": True}]}]},
            "names “Oakk”, which no record has. Did you mean “Oak”?",
        ),
    ],
)  # fmt: skip
def test_render_writes_what_it_can_and_exits_1_where_a_number_may_differ(tmp_path, capsys, more, said):
    path = basket_of(tmp_path, **more)
    assert main(["render", str(path), "--to", str(tmp_path / "out.csv")]) == 1
    told = capsys.readouterr()
    assert said in told.err
    assert (tmp_path / "out.csv").exists()
    assert main(["check", str(path)]) == 1
    assert said in capsys.readouterr().err


def test_render_of_all_folds_goes_on_after_one_that_fails_and_says_so_at_the_end(tmp_path, capsys):
    ref = {"table": "s", "field": "Site"}
    folds = [
        {"name": name, "measures": [{"id": "m", "aggregate": how, "field": ref}]}
        for name, how in (("a/b", "sum"), ("a:b", "count values"), ("a-b", "count values"), ("..", "mode"))
    ]
    path = basket_of(tmp_path, folds=folds)
    assert main(["render", str(path), "--to", str(tmp_path / "o" / "{fold}.csv")]) == 1
    told = capsys.readouterr()
    assert "the fold “a/b” cannot be made" in told.err
    assert sorted(each.name for each in (tmp_path / "o").iterdir()) == ["a-b (2).csv", "a-b (3).csv", "fold.csv"]


def test_no_report_takes_the_place_of_what_it_is_made_from(tmp_path, capsys):
    path = basket_of(tmp_path)
    for target in ("s.csv", "../" + tmp_path.name + "/s.csv"):
        assert main(["render", str(path), "--to", str(tmp_path / target)]) == 1
        assert "belongs to the source “s”" in capsys.readouterr().err
    assert (tmp_path / "s.csv").read_text().startswith("Site,Net")


def test_check_reads_a_file_of_data_by_itself(tmp_path, capsys):
    basket_of(tmp_path)
    assert main(["check", str(tmp_path / "s.csv")]) == 0
    assert "source “S”: 3 records, 2 fields" in capsys.readouterr().out


def test_one_report_for_each_member_in_several_formats_and_a_style(demo, tmp_path, capsys):
    out = tmp_path / "o"
    made = main(
        ["render", str(demo), "--fold", "Net sales by site", "--each", "Region", "--to", str(out / "{member}.csv"),
         "--to", str(out / "{member}.html"), "--style", "newsprint", "--quiet"]
    )  # fmt: skip
    assert made == 0, capsys.readouterr().err
    names = {path.stem for path in out.iterdir()}
    assert names == {"Eastfen", "Midmarsh", "Northmoor", "Southcliff", "Westholt"}
    whole = tmp_path / "whole.csv"
    assert main(["render", str(demo), "--fold", "Net sales by site", "--to", str(whole), "--quiet"]) == 0
    lines = [line for line in whole.read_text("utf-8-sig").splitlines() if line.startswith("Midmarsh,")]
    own = [line for line in (out / "Midmarsh.csv").read_text("utf-8-sig").splitlines() if line.startswith("Midmarsh,")]
    assert own == lines
    assert "Net sales by site, Midmarsh" in (out / "Midmarsh.html").read_text("utf-8")
    assert "font-family:serif" in (out / "Midmarsh.html").read_text("utf-8")


def test_one_pdf_of_all_members_beside_a_file_for_each(demo, tmp_path):
    made = main(
        ["render", str(demo), "--fold", "Net sales by site", "--each", "Region", "--to", str(tmp_path / "all.pdf"),
         "--to", str(tmp_path / "{member}.pdf"), "--quiet"]
    )  # fmt: skip
    assert made == 0
    assert len(list(tmp_path.iterdir())) == 6
    texts = [page.extract_text() for page in PdfReader(tmp_path / "all.pdf").pages]
    assert len(texts) == 5
    assert "Eastfen" in texts[0]
    assert "Eastfen" not in texts[1]
    assert "page 5 of 5" in texts[4].replace("\t", " ")


@pytest.mark.parametrize(
    ("more", "said"),
    [
        (["--style", "ledgr"], "there is no style “ledgr”. Did you mean “ledger”?"),
        (["--each", "Regoin"], "there is no field “Regoin”. Did you mean “Region”?"),
        (["--each", "Order no."], "“Order no.” is a field of several tables."),
        (["--set", "Channel=Web"], "there is no picker “Channel”"),
        (["--set", "as-of=soon"], "“soon”"),
    ],
)
def test_what_render_does_not_know_is_named(demo, tmp_path, capsys, more, said):
    assert main(["render", str(demo), "--fold", "Net sales by site", "--to", str(tmp_path / "x.csv"), *more]) == 1
    assert said in capsys.readouterr().err


def test_pickers_and_the_as_of_date_are_set(tmp_path):
    rule = {"kind": "members", "id": "f", "field": {"table": "s", "field": "Site"}, "picker": "Site"}
    count = {"id": "m", "aggregate": "count"}
    path = basket_of(tmp_path, folds=[{"name": "f", "measures": [count], "filters": [{**rule, "exclude": True}]}])
    assert main(["render", str(path), "--to", str(tmp_path / "all.csv"), "--quiet"]) == 0
    assert main(["render", str(path), "--to", str(tmp_path / "one.csv"), "--set", "Site=Oak", "--quiet"]) == 0
    whole, one = (int((tmp_path / name).read_text("utf-8-sig").split(",")[-1]) for name in ("all.csv", "one.csv"))
    assert 0 < one < whole


def test_a_small_render_loads_nothing_that_it_does_not_need(tmp_path):
    path = basket_of(tmp_path)
    code = (
        "import sys; from foldbasket.cli import main; "
        f"assert main(['render', {str(path)!r}, '--to', {str(tmp_path / 'o.csv')!r}, '--quiet']) == 0; "
        "print(sorted({name.partition('.')[0] for name in sys.modules}))"
    )
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    for heavy in (
        "numba",
        "sqlglot",
        "xlsxwriter",
        "odf",
        "matplotlib",
        "PyQt6",
        "distributed",
        "sqlalchemy",
        "pikepdf",
    ):
        assert f"'{heavy}'" not in loaded
    assert "'numpy'" in loaded


def test_reports_and_members_that_are_called_by_a_mark_keep_their_names():
    taken = set()
    assert str(free_path("out/{fold} {member}.csv", "{member}", "{fold}", taken)) == "out/{member} {fold}.csv"
    assert str(free_path("out/{fold} {member}.csv", "{member}", "{fold}", taken)) == "out/{member} {fold} (2).csv"
    assert str(free_path("out/{fold}.csv", "{member}", "", taken)) == "out/{member}.csv"
    assert str(free_path("out/x.csv", "{fold}", "", taken)) == "out/x.csv"
