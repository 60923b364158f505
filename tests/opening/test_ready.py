"""The one path from a basket to an engine: what goes wrong on it is told, however deep it lies."""

import pytest

from foldbasket import cli
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.calculated import Calculated
from foldbasket.baskets.files import encode, open_basket, save_basket
from foldbasket.errors import BasketError
from foldbasket.opening.prepared import prepare
from foldbasket.opening.reading import load_tables
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.tables.mending.texts import TrimSpaces
from foldbasket.tables.reading.contract import Reading


@pytest.fixture
def basket(tmp_path):
    """A basket in which a fold is the source of another; its own source has a mend and a field that do not fit."""
    (tmp_path / "sales.csv").write_text("Site,Net\na,1\nb,2\n")
    by_site = Fold(
        "By site", (Measure("n", "sum", FieldRef("sales", "Net")),), (Placed("s", FieldRef("sales", "Site")),)
    )
    above = Fold("Above", (Measure("n", "sum", FieldRef("sums", "Net")),))
    document = Basket(
        sources=(
            SourceSpec("sales", "sales.csv", mends=(TrimSpaces(("Gone",)),)),
            SourceSpec("sums", fold="By site"),
        ),
        folds=(by_site, above),
        calculated=(Calculated("Half", "Nothing / 2", "sales"),),
    )
    path = tmp_path / "b.basket"
    path.write_bytes(encode(document))
    return path


def test_what_is_wrong_beneath_a_fold_that_is_a_source_is_told_by_whoever_folds_over_it(basket):
    problems = prepare(open_basket(basket)).problems
    assert sum("a mend was passed over" in each and each.startswith("the source “sums”") for each in problems) == 1
    assert sum("the field “Half”" in each and each.startswith("the source “sums”") for each in problems) == 1
    assert sum(each.startswith("the source “sales”") for each in problems) == 1


def test_the_command_line_says_it_and_fails_though_the_report_is_written(basket, tmp_path, capsys):
    target = tmp_path / "above.csv"
    assert cli.main(["render", str(basket), "--fold", "Above", "--to", str(target)]) == 1
    assert "3" in target.read_text("utf-8-sig")
    assert "the source “sums”: the source “sales”: a mend was passed over" in capsys.readouterr().err


def test_the_window_notes_it_on_the_sources_card(basket, qtbot):
    from foldbasket.desktop.shell.window import MainWindow

    window = MainWindow()
    qtbot.addWidget(window)
    window.open_paths([basket])
    qtbot.waitUntil(lambda: "sums" in window.desk.tables and not window.desk.busy, timeout=20_000)
    assert any("a mend was passed over" in note for note in window.desk.tables["sums"].notes)
    window.desk.close()


@pytest.mark.parametrize("stays", [False, True])
def test_a_database_that_was_moved_leaves_the_other_sources_open(tmp_path, stays):
    (tmp_path / "s.csv").write_text("Region,Net\nEast,1\n")
    gone = SourceSpec("gone", "gone.sqlite", Reading(table="t"), stays=stays)
    save_basket(Basket(sources=(gone, SourceSpec("s", "s.csv"))), tmp_path / "b.basket")
    problems = {}
    tables = load_tables(open_basket(tmp_path / "b.basket"), problems=problems)
    assert {key: each.count for key, each in tables.items()} == {"s": 1}
    assert "gone.sqlite" in str(problems["gone"])
    with pytest.raises(BasketError, match="“gone” cannot be read"):
        load_tables(open_basket(tmp_path / "b.basket"))
