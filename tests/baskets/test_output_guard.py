"""No output takes the place of a basket's data, joins it, or takes the place of another output: whatever writes, and whatever the source."""

import os
from pathlib import Path

import pytest

from foldbasket import cli
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import save_basket
from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.errors import FoldBasketError, OutputError
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed

CSV = "Region,Net\nEast,{}\nWest,{}\n"


@pytest.fixture
def place(tmp_path, monkeypatch):
    """A folder with data in a file, in a folder of files, and in folders named by a field; and ways to reach the same files by other names."""
    for name, (one, two) in {
        "own.csv": (1, 2),
        "in/jan.csv": (3, 4),
        "in/feb.csv": (5, 6),
        "hive/Year=2025/a.csv": (7, 8),
    }.items():
        file = tmp_path / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(CSV.format(one, two))
    os.symlink(tmp_path / "in", tmp_path / "door")
    os.symlink(tmp_path / "own.csv", tmp_path / "alias.csv")
    os.link(tmp_path / "own.csv", tmp_path / "twin.csv")
    (tmp_path / "out").mkdir()
    monkeypatch.chdir(tmp_path)
    return tmp_path


def basket(path):
    fold = Fold("f", (Measure("n", "sum", FieldRef("s", "Net")),), (Placed("r", FieldRef("s", "Region")),))
    return Basket("b", (SourceSpec("s", path),), folds=(fold,))


def contents(folder):
    return {str(each.relative_to(folder)): each.read_bytes() for each in sorted(folder.rglob("*")) if each.is_file()}


REFUSED = [
    ("own.csv", "own.csv"), ("own.csv", "out/../own.csv"), ("own.csv", "alias.csv"), ("own.csv", "twin.csv"), ("alias.csv", "own.csv"),
    ("in", "in/feb.csv"), ("in", "in/mar.csv"), ("in", "door/mar.csv"), ("door", "in/mar.csv"), ("in", "in/mar.CSV"),
    ("in/*.csv", "in/feb.csv"), ("in/*.csv", "in/mar.csv"), ("in/*.csv", "door/mar.csv"), ("door/*.csv", "in/mar.csv"), ("i*/*.csv", "in/mar.csv"),
    ("i*/*.csv", "inner/mar.csv"), ("in/*", "in/mar.xlsx"), ("hive", "hive/Year=2025/b.csv"), ("hive", "hive/Year=2026/b.csv"), ("hive", "hive/top.csv"),
]  # fmt: skip
ALLOWED = [
    ("own.csv", "out/own.csv"), ("in", "out/mar.csv"), ("in", "in/report.pdf"), ("in", "in/report.html"), ("in", "in/report.xlsx"), ("in/*.csv", "in/mar.xlsx"),
    ("in/*.csv", "mar.csv"), ("hive", "hive/notes.html"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "target"), REFUSED)
def test_a_rendered_report_is_refused_where_data_is(place, capsys, source, target):
    save_basket(basket(source), place / "b.basket")
    before = contents(place)
    assert cli.main(["render", "b.basket", "--to", target, "--quiet"]) == 1
    told = capsys.readouterr().err
    assert "belongs to the source" in told or "would be counted as data" in told
    assert contents(place) == before


@pytest.mark.parametrize(("source", "target"), ALLOWED)
def test_it_is_written_beside_them(place, source, target):
    save_basket(basket(source), place / "b.basket")
    before = contents(place)
    assert cli.main(["render", "b.basket", "--to", target, "--quiet"]) == 0
    after = contents(place)
    assert set(after) - set(before) == {target}
    assert {name: after[name] for name in before} == before
    again = cli.main(["render", "b.basket", "--to", "out/again.csv", "--quiet"])
    assert again == 0
    assert len(contents(place)["out/again.csv"].splitlines()) == 4, "no report has become data"


@pytest.mark.parametrize("target", ["in/a.csv", "in/b.csv", "in/c.csv"])
def test_workbooks_may_lie_beside_data_until_they_would_be_read_instead(place, target):
    guard = OutputGuard(basket("in"), None, place)
    for name in ("a", "b"):
        guard.check(place / "in" / f"{name}.xlsx")
        (place / "in" / f"{name}.xlsx").write_bytes(b"")
    with pytest.raises(OutputError, match="counted as data"):
        guard.check(place / "in" / "c.xlsx")


@pytest.mark.parametrize(
    ("source", "target"), [each for each in REFUSED if "*" not in each[0] and "hive" not in each[0]]
)
def test_show_refuses_it_too(place, capsys, source, target):
    before = contents(place)
    assert cli.main(["show", source, "net by region", "--to", target, "--quiet"]) == 1
    assert contents(place) == before


@pytest.mark.parametrize(("source", "target"), REFUSED)
def test_an_index_is_refused_and_the_report_stays(place, capsys, source, target):
    target = str(Path(target).with_suffix(".csv"))
    save_basket(basket(source), place / "b.basket")
    before = contents(place)
    code = cli.main(["render", "b.basket", "--to", "out/report.csv", "--index", target, "--quiet"])
    after = contents(place)
    after.pop("out/report.csv")
    if source != "in/*" or target.endswith(".csv"):
        assert code == 1
        assert after == before


def test_an_index_never_takes_the_place_of_a_report_just_written(place, capsys):
    save_basket(basket("own.csv"), place / "b.basket")
    assert cli.main(["render", "b.basket", "--to", "out/r.csv", "--index", "out/../out/r.csv"]) == 1
    assert "was just written" in capsys.readouterr().err
    assert (place / "out/r.csv").read_text().startswith("Region")


def test_two_reports_of_a_run_never_share_a_file(place, capsys):
    save_basket(basket("own.csv"), place / "b.basket")
    (place / "out/one.csv").write_text("old")
    os.symlink(place / "out/one.csv", place / "out/two.csv")
    assert cli.main(["render", "b.basket", "--to", "out/one.csv", "--to", "out/two.csv"]) == 1
    assert "was just written" in capsys.readouterr().err


@pytest.mark.parametrize(("source", "target"), REFUSED)
def test_a_basket_is_not_saved_there_either(place, source, target):
    before = contents(place)
    with pytest.raises(FoldBasketError, match=r"belongs to the source|counted as data"):
        save_basket(basket(str(place / source)), place / target)
    assert contents(place) == before


def test_a_basket_may_take_its_own_place(place):
    save_basket(basket("own.csv"), place / "b.basket")
    save_basket(basket("own.csv"), place / "b.basket")
    with pytest.raises(OutputError, match="the basket itself"):
        OutputGuard(basket("own.csv"), place / "b.basket", place).check(place / "b.basket")
