"""The drawer of Proof: totals of only what is shown, and the records put in order, looked through, with other fields, copied and written."""

import time

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton

from foldbasket.baskets.edits import Change, ChangeFold
from foldbasket.folding.layout.pickings.ends import Top
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Covers


@pytest.fixture
def proved(driver, demo):
    """The demo's first report with the proof of its first cell open."""
    driver.open(demo)
    driver.workspace.proof.show_cell(0, 0)
    driver.settle()
    driver.qtbot.waitUntil(lambda: driver.workspace.proof.isVisible(), timeout=5_000)
    return driver


def texts(pane, name):
    model = pane.table.model()
    at = [each.ref.field for each in model.fields].index(name)
    return [model.data(model.index(row, at)) for row in range(model.rowCount())]


def settled(driver, holds):
    driver.qtbot.waitUntil(holds, timeout=5_000)


def test_records_are_put_in_order_by_a_click_on_a_heading(proved):
    pane = proved.workspace.proof.listed
    before = texts(pane, "Order no.")
    at = [each.ref.field for each in pane.records.fields].index("Net")
    header = pane.table.horizontalHeader()
    pane.table.scrollTo(pane.table.model().index(0, at))

    def click():
        place = header.sectionViewportPosition(at) + 15
        proved.qtbot.mouseClick(header.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(place, 8))

    click()
    settled(proved, lambda: pane.records.wanted.by == FieldRef("Order lines", "Net"))
    values = [float(text) for text in texts(pane, "Net")]
    assert values == sorted(values)
    assert pane.table.model().headerData(at, Qt.Orientation.Horizontal) == "Net ↑"
    click()
    settled(proved, lambda: pane.records.wanted.descending)
    assert [float(text) for text in texts(pane, "Net")] == sorted(values, reverse=True)
    click()
    settled(proved, lambda: pane.records.wanted.by is None)
    assert texts(pane, "Order no.") == before


def test_records_are_looked_through_and_other_fields_are_listed(proved):
    pane = proved.workspace.proof.listed
    whole = pane.records.many
    menu = pane.choose_fields()
    assert "Sellers" in [action.text() for action in menu.actions()]
    menu.close()
    pane.turn_field(FieldRef("Sellers", "Team"))
    settled(proved, lambda: FieldRef("Sellers", "Team") in pane.records.wanted.fields)
    teams = texts(pane, "Team")
    proved.qtbot.keyClicks(pane.finding, teams[0])
    settled(proved, lambda: pane.records.many == teams.count(teams[0]))
    assert pane.said.text().endswith("found")
    proved.workspace.proof.show_cell(1, 0)
    settled(proved, lambda: pane.records.many != whole and not pane.finding.text())
    settled(proved, lambda: FieldRef("Sellers", "Team") in pane.records.wanted.fields)
    pane.turn_field(FieldRef("Sellers", "Team"))
    settled(proved, lambda: FieldRef("Sellers", "Team") not in pane.records.wanted.fields)


def test_records_are_copied_and_written(proved, tmp_path, monkeypatch):
    pane = proved.workspace.proof.listed
    pane.table.selectRow(1)
    proved.press(pane.table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    copied = QApplication.clipboard().text().splitlines()
    assert len(copied) == 2
    assert copied[0].startswith("Order no.\t")
    assert copied[1].split("\t")[0] == texts(pane, "Order no.")[1]
    path = tmp_path / "behind.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), ""))
    proved.qtbot.mouseClick(pane.links["write…"], Qt.MouseButton.LeftButton)
    settled(proved, lambda: path.exists())
    proved.settle()
    assert len(path.read_text(encoding="utf-8").splitlines()) == pane.records.many + 1
    assert "behind.csv" in proved.workspace.facts.news.whole


def test_all_listed_records_are_copied_beside_the_window(proved):
    pane = proved.workspace.proof.listed
    proved.qtbot.mouseClick(pane.links["copy"], Qt.MouseButton.LeftButton)
    settled(proved, lambda: "to the clipboard" in proved.workspace.facts.news.whole)
    clipboard = QApplication.clipboard()
    assert clipboard.mimeData().formats() == ["text/plain"]
    listed = pane.table.model().rowCount()
    assert len(clipboard.text().splitlines()) == listed + 1
    assert f"{listed:,} records" in proved.workspace.facts.news.whole


def test_a_list_of_records_is_as_wide_as_what_it_says(proved):
    pane = proved.workspace.proof.listed
    at = [each.ref.field for each in pane.records.fields].index("Order no.")
    longest = max(texts(pane, "Order no.")[:40], key=len)
    assert pane.table.columnWidth(at) > pane.table.fontMetrics().horizontalAdvance(longest)
    across = pane.table.horizontalHeader()
    for section in range(across.count()):
        heading = pane.table.model().headerData(section, Qt.Orientation.Horizontal)
        assert across.sectionSize(section) > across.fontMetrics().horizontalAdvance(heading)
    before = pane.table.columnWidth(at)
    pane.turn_field(FieldRef("Customers", "Customer"))
    settled(
        proved, lambda: len(pane.records.fields) == across.count() and pane.records.fields[-1].ref.field == "Customer"
    )
    assert pane.table.columnWidth(at) == before


def test_a_total_of_only_what_is_shown_is_proved_by_its_records(driver, demo):
    driver.open(demo)
    desk = driver.desk
    desk.do(Change(desk.fold.key, "site", {"keep": Top("net", number="1")}, "Show one site"))
    desk.do(ChangeFold(desk.fold.key, {"totals_cover": Covers.SHOWN}, "Cover what is shown"))
    driver.settle()
    report = desk.report
    drawer = driver.workspace.proof
    drawer.show_cell(report.height - 1, report.width - 2)
    driver.qtbot.waitUntil(lambda: drawer.proof is not None, timeout=10_000)
    assert drawer.proof.agrees
    assert "of members that are not shown" in drawer.told.text()


@pytest.mark.parametrize("way", ["Cancel", "close", "another report"])
def test_a_proof_that_takes_long_says_so_and_can_be_given_up(proved, monkeypatch, qtbot, way):
    desk, drawer, facts = proved.desk, proved.workspace.proof, proved.workspace.facts
    ended = []

    def long(*given):
        *_, progress = given
        try:
            while True:
                progress.step("Folding", 0.3)
                time.sleep(0.002)
        finally:
            ended.append(True)

    monkeypatch.setattr("foldbasket.desktop.state.folding.proof_of", long)
    drawer.show_cell(1, 0)
    qtbot.waitUntil(facts.working.isVisible)
    assert drawer.title.text() == "Working it out…"
    assert facts.kept.text()
    if way == "another report":
        desk.words.turn()
        proved.settle()
    else:
        [link] = [each for each in (facts.working if way == "Cancel" else drawer).findChildren(QPushButton) if each.text() == way]  # fmt: skip
        link.click()
    qtbot.waitUntil(lambda: bool(ended))
    qtbot.waitUntil(lambda: not desk.busy and not facts.working.isVisible())
    assert not drawer.isVisible()
    monkeypatch.undo()
    drawer.show_cell(1, 0)
    qtbot.waitUntil(lambda: drawer.isVisible() and drawer.title.text() != "Working it out…")


def test_a_cell_of_a_long_note_is_proved_with_its_beginning(driver, tmp_path):
    note = "a long note " * 5_000
    path = tmp_path / "notes.csv"
    path.write_text(f"Note,Net\n{note}1,2\n{note}2,3\n", encoding="utf-8")
    driver.window.open_paths([path])
    driver.settle()
    driver.desk.words.place(FieldRef("Notes", "Net"))
    driver.desk.words.place(FieldRef("Notes", "Note"), "rows")
    driver.settle()
    driver.workspace.proof.show_cell(0, 0)
    driver.qtbot.waitUntil(lambda: driver.workspace.proof.isVisible(), timeout=5_000)
    assert "it agrees" in driver.workspace.proof.told.text()
    assert len(driver.workspace.proof.told.text()) < 2_000
    pane = driver.workspace.proof.listed
    assert all(len(text) <= 1_001 for text in texts(pane, "Note"))
    assert pane.records.fields[0].text(0) == note + "1"
