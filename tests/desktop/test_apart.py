"""A table that is not held, in the window: looked at, folded, proved, filtered and left as any other, with nothing read whole."""

import contextlib
import datetime
import random
import sqlite3
import time
from decimal import Decimal

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLabel, QPushButton

from foldbasket.baskets import edits
from foldbasket.baskets.calculated import Calculated
from foldbasket.desktop.starters import view
from foldbasket.desktop.state import inorder, surveying
from foldbasket.errors import BasketError, Cancelled, ReadError
from foldbasket.folding.cubes.cluster_access import Where
from foldbasket.folding.engine import Engine
from foldbasket.links.link import Link
from foldbasket.spec.field import FieldRef
from foldbasket.tables import store
from foldbasket.tables.mending.fields import RenameField
from foldbasket.tables.mending.texts import FillDown, ReplaceValues, TrimSpaces
from foldbasket.tables.sample import is_sampled, unread_of
from tests.folding.build import lines
from tests.tables.reading.objectstore import object_store

MANY = 5_000
DAY = datetime.date(2025, 1, 1)


@pytest.fixture
def place(tmp_path, monkeypatch):
    """A folder with three files of sales, a file of sites, and no memory for more than a few bytes of either."""
    draw = random.Random(11)
    folder = tmp_path / "sales"
    folder.mkdir()
    for part in range(3):
        some = pa.table(
            {
                "Site": [draw.choice(["Mill", "Yard", "Dock", "lost", None]) for _ in range(MANY)],
                "Sold": [DAY + datetime.timedelta(draw.randrange(500)) for _ in range(MANY)],
                "Net": pa.array([draw.choice([None, Decimal(draw.randrange(-99, 9999)) / 100]) for _ in range(MANY)], pa.decimal128(9, 2)),
                "Pieces": pa.array([draw.randrange(50) for _ in range(MANY)], pa.int32()),
                "Ticket": [f"T{part}-{at:06d}" for at in range(MANY)],
            }
        )  # fmt: skip
        pq.write_table(some, folder / f"{part}.parquet", row_group_size=1_000, store_schema=False)
    (tmp_path / "sites.csv").write_text("Site,Region\nMill,North\nYard,South\nDock,South\n")
    monkeypatch.setenv("FOLD_BASKET_MEMORY", "1kB")
    return tmp_path


@pytest.fixture
def apart(driver, place, qtbot):
    """The window with both open, once all is looked through."""
    driver.open(place / "sales", place / "sites.csv")
    qtbot.waitUntil(lambda: not driver.desk.supply.looker.busy, timeout=20_000)
    quiet(driver)
    return driver


def quiet(driver):
    """Waits until all records of what is not held were looked through."""
    looker = driver.desk.supply.looker
    driver.qtbot.waitUntil(lambda: not looker.surveyor.busy, timeout=20_000)
    driver.qtbot.waitUntil(lambda: not looker.in_order.busy, timeout=20_000)
    driver.settle()


def field(name):
    return FieldRef("Sales", name)


def held(driver, place, monkeypatch, qtbot):
    """The same fold in a window that may hold all."""
    monkeypatch.setenv("FOLD_BASKET_MEMORY", "1GB")
    fold = driver.desk.fold
    driver.desk.supply.forget()
    driver.desk.supply.renew(driver.desk.basket)
    qtbot.waitUntil(lambda: "Sales" in driver.desk.tables and not is_sampled(driver.desk.tables["Sales"]))
    driver.desk.folding.fold(fold)
    driver.settle()
    return lines(driver.desk.report)


def nothing_was_read_whole(driver):
    table = driver.desk.tables["Sales"]
    return is_sampled(table) and not any(unread.has(name) for unread in unread_of(table) for name in table.columns)


def test_it_is_not_held_and_its_records_are_read_as_they_come_into_view(apart, qtbot):
    desk, preview = apart.desk, apart.workspace.source.preview
    desk.show_source("Sales")
    apart.settle()
    assert desk.tables["Sales"].count == 3 * MANY
    last = 3 * MANY - 1
    assert preview.text("Ticket", last) == "…"
    apart.settle()
    assert preview.text("Ticket", last) == f"T2-{MANY - 1:06d}"
    assert preview.text("Ticket", MANY) == "…"
    apart.settle()
    assert preview.text("Ticket", MANY) == "T1-000000"
    assert preview.text("File", MANY) == "1.parquet"
    assert "read as they are asked for" in apart.workspace.source_head.facts.text()
    assert nothing_was_read_whole(apart)


def test_profiles_are_those_of_all_its_records(apart):
    desk = apart.desk
    serial = desk.tables["Sales"].serial
    assert desk.profiles[serial, "Site"].different == 4
    assert desk.profiles[serial, "Site"].blanks > 0
    assert desk.profiles[serial, "Sold"].smallest == "2025-01-01"
    assert (
        sum(count for _, count in desk.profiles[serial, "Site"].frequent) + desk.profiles[serial, "Site"].blanks
        == 3 * MANY
    )
    desk.show_source("Sales", "Net")
    said = [label.text() for label in apart.workspace.card.findChildren(QLabel)]
    assert any(f" of {3 * MANY:,}" in each for each in said)


def test_it_is_folded_part_by_part_and_proved(apart, place, monkeypatch, qtbot):
    desk = apart.desk
    assert [link.to_table for link in desk.supply.looker.suggestions] == ["Sites"]
    desk.sources.accept_links()
    for each in (field("Net"), FieldRef("Sites", "Region"), field("Sold")):
        desk.words.place(each)
        apart.settle()
    assert desk.report.counted[0].place == "part by part"
    assert "folded part by part" in apart.workspace.facts.kept.text()
    told = lines(desk.report)
    drawer = apart.workspace.proof
    drawer.show()
    drawer.show_cell(0, 0)
    qtbot.waitUntil(lambda: drawer.proof is not None, timeout=10_000)
    assert drawer.proof.agrees
    model = drawer.table.model()
    assert model.rowCount() == min(1000, drawer.proof.behind.many)
    headings = [model.headerData(at, Qt.Orientation.Horizontal) for at in range(model.columnCount())]
    regions = {model.data(model.index(row, headings.index("Region"))) for row in range(model.rowCount())}
    assert regions == {desk.report.rows.label(0, 0)}
    assert nothing_was_read_whole(apart)
    assert told == held(apart, place, monkeypatch, qtbot)


def test_its_members_are_ticked_and_its_numbers_kept_by_a_range(apart):
    desk = apart.desk
    desk.words.place(field("Net"))
    desk.words.place(field("Site"), "filters")
    apart.settle()
    from foldbasket.desktop.card.tick import member_model, why_no_list

    rule = desk.fold.filters[0]
    assert why_no_list(desk, rule) == ""
    model = member_model(desk, rule, lambda _: None, apart.workspace.card)
    assert list(model.keys) == ["Dock", "lost", "Mill", "Yard"]
    assert "blank" in model.extra
    desk.words.place(field("Ticket"), "filters")
    apart.settle()
    listed = why_no_list(desk, desk.fold.filters[1])
    assert listed == ""  # fewer than are too many
    desk.words.place(field("Pieces"), "filters")
    apart.settle()
    assert nothing_was_read_whole(apart)


def test_a_calculated_field_of_it_is_shown_folded_and_undone(apart, qtbot):
    desk = apart.desk
    desk.do(edits.AddField(Calculated("Gross", "Net * 1.2", "Sales")))
    apart.settle()
    qtbot.waitUntil(lambda: not desk.supply.looker.surveyor.busy, timeout=20_000)
    desk.words.place(field("Gross"))
    desk.words.place(field("Site"))
    apart.settle()
    assert desk.problem is None
    assert desk.report.counted[0].place == "part by part"
    desk.show_source("Sales", "Gross")
    apart.workspace.source.preview.text("Gross", 4_321)
    apart.settle()
    assert apart.workspace.source.preview.text("Gross", 4_321) != "…"
    while "Gross" in desk.tables["Sales"].columns:
        desk.undo()
        apart.settle()
    assert desk.basket.calculated == ()
    assert nothing_was_read_whole(apart)


def mended_by_link(driver, label):
    """Clicks a mend that is offered for the field or the source that is shown, and waits until it is done."""
    [link] = [each for each in driver.workspace.card.findChildren(QPushButton) if each.text() == label]
    link.click()
    driver.qtbot.waitUntil(lambda: not driver.desk.supply.busy and not driver.desk.supply.looker.surveyor.busy, timeout=20_000)  # fmt: skip
    driver.settle()


def test_a_mend_that_looks_at_several_records_goes_through_all_once(apart):
    desk, told = apart.desk, []
    desk.failed.connect(told.append)
    desk.words.place(field("Site"))
    desk.words.place(field("Pieces"))
    apart.settle()
    before = lines(desk.report)
    assert "(blank)" in {line[0] for line in before}
    desk.show_source("Sales", "Site")
    apart.settle()
    mended_by_link(apart, "Fill blanks from above")
    assert nothing_was_read_whole(apart)
    assert desk.tables["Sales"].count == 3 * MANY
    desk.show_source("Sales")
    apart.settle()
    mended_by_link(apart, "Keep one of each repeated record")
    said = [label.text() for label in apart.workspace.card.findChildren(QLabel)]
    [filled] = [each for each in said if each.startswith("1 · Fill blanks in Site from above · ")]
    assert "looked at" not in filled
    desk.show_fold(desk.basket.folds[0].key)
    apart.settle()
    after = lines(desk.report)
    assert "(blank)" not in {line[0] for line in after}
    assert after[-1] == before[-1]
    assert desk.report.counted[0].place == "part by part"
    apart.act("Undo")
    apart.act("Undo")
    apart.settle()
    assert lines(desk.report) == before
    assert told == []


def test_what_is_wrong_with_whole_records_is_found_shown_kept_and_mended(driver, place, monkeypatch):
    """Records that stand twice, one that holds nothing, and a total line, in a file that is not held."""
    monkeypatch.setattr(store, "SETTLED", -1.0)
    monkeypatch.setattr(inorder, "WORTH", -1.0)
    last = place / "sales" / "2.parquet"
    whole = pq.read_table(last)
    odd = {
        "Site": [None, "Total", "n/a"],
        "Sold": [None, None, DAY],
        "Net": [None, Decimal("5.00"), None],
        "Pieces": [None, None, 1],
        "Ticket": [None, None, "T9-000000"],
    }
    more = pa.table(odd, schema=whole.schema)
    pq.write_table(pa.concat_tables([whole, whole.slice(7, 3), more]), last, store_schema=False)
    last = last.rename(place / "sales.parquet")
    driver.open(last)
    quiet(driver)
    desk, preview = driver.desk, driver.workspace.source.preview
    desk.show_source("Sales")
    driver.settle()
    wanted = {
        "repeated rows": [MANY + at for at in range(3)],
        "empty rows": [MANY + 3],
        "total lines": [MANY + 4],
    }

    def found():
        return {each.kind: each for each in desk.supply.findings("Sales") if each.kind in wanted}

    def shown():
        return {kind: each.records().tolist() for kind, each in found().items()}

    assert shown() == wanted
    show = [
        each for each in driver.workspace.card.findChildren(QPushButton) if each.text() == "Show" and each.isVisible()
    ]
    order = [each.kind for each in desk.supply.findings("Sales") if each.count]
    driver.qtbot.mouseClick(show[order.index("repeated rows")], Qt.MouseButton.LeftButton)
    driver.qtbot.waitUntil(lambda: preview.count == 3, timeout=20_000)
    assert [preview.record(row) for row in range(3)] == wanted["repeated rows"]
    driver.qtbot.waitUntil(lambda: preview.text("Ticket", preview.record(0)) == f"T2-{7:06d}", timeout=20_000)
    driver.qtbot.keyClick(preview, Qt.Key.Key_Escape)
    assert preview.count == MANY + 6

    # One that goes by members is looked for when it is asked for.
    by_member = next(each for each in desk.supply.findings("Sales") if each.kind == "blank words")
    middle = driver.workspace.source
    assert by_member.found is None
    middle.show_finding(by_member)
    assert middle.said.text().startswith("Looking for the records.")
    driver.qtbot.waitUntil(lambda: preview.count == 1, timeout=20_000)
    assert middle.said.text().startswith("Only 1 record is shown.")
    driver.qtbot.waitUntil(lambda: preview.text("Ticket", preview.record(0)) == "T9-000000", timeout=20_000)
    middle.show_finding(None)
    assert not middle.strip.isVisible()

    monkeypatch.setattr(inorder, "each_in_order", lambda *_: pytest.fail("what was kept is looked for again"))
    desk.supply.forget()
    desk.supply.renew(desk.basket)
    quiet(driver)
    driver.qtbot.waitUntil(lambda: found().keys() == wanted.keys(), timeout=20_000)
    monkeypatch.undo()
    monkeypatch.setenv("FOLD_BASKET_MEMORY", "1kB")
    desk.sources.mend(*found()["repeated rows"].offers[0].mends)
    driver.settle()
    driver.qtbot.waitUntil(lambda: desk.tables["Sales"].count == MANY + 3, timeout=20_000)
    quiet(driver)
    assert found().keys() == {"empty rows", "total lines"}


def test_of_a_confidential_basket_nothing_stays_on_the_disk_and_the_report_stays(apart):
    desk, told = apart.desk, []
    desk.failed.connect(told.append)
    desk.words.place(field("Site"))
    desk.show_source("Sales")
    desk.sources.mend(FillDown("Site"))
    apart.qtbot.waitUntil(lambda: bool(list(store.STORE.folder.glob("*.parquet"))), timeout=20_000)
    desk.show_fold(desk.basket.folds[0].key)
    apart.settle()
    before = lines(desk.report)
    assert "(blank)" not in {line[0] for line in before}
    desk.do(edits.ChangeBasket({"confidential": True}, "Confidential"))
    apart.qtbot.waitUntil(lambda: not desk.supply.busy and not is_sampled(desk.tables["Sales"]), timeout=20_000)
    assert not list(store.STORE.folder.glob("*.parquet"))
    apart.act("Turn rows into columns")
    apart.settle()
    apart.act("Turn rows into columns")
    apart.settle()
    assert lines(desk.report) == before
    assert told == []


def test_mends_are_done_as_its_records_come(apart, qtbot):
    desk, told = apart.desk, []
    desk.failed.connect(told.append)
    desk.show_source("Sales")
    apart.settle()
    said = [label.text() for label in apart.workspace.card.findChildren(QLabel)]
    assert any("These records are not held" in each for each in said)
    desk.words.place(field("Net"))
    desk.words.place(field("Site"))
    apart.settle()
    before = {row[0] for row in lines(desk.report)}
    desk.show_source("Sales")
    desk.sources.mend(RenameField("Site", "Yard"), ReplaceValues("Yard", {min(before - {"(blank)"}): "Elsewhere"}))
    apart.settle()
    desk.show_fold(desk.basket.folds[0].key)
    qtbot.waitUntil(
        lambda: desk.problem is None and "Elsewhere" in {row[0] for row in lines(desk.report)}, timeout=20_000
    )
    assert desk.report.counted[0].place == "part by part"
    desk.show_source("Sales")
    apart.settle()
    said = [label.text() for label in apart.workspace.card.findChildren(QLabel)]
    assert any("values in the" in each and "records looked at" in each for each in said)
    desk.undo()
    apart.settle()
    assert desk.supply.notes == {}
    assert {row[0] for row in lines(desk.report)} == before
    assert desk.tables["Sales"].count == 3 * MANY
    assert told == []
    assert nothing_was_read_whole(apart)


def test_it_is_saved_without_its_records_but_not_with_them(apart, place):
    desk, told = apart.desk, []
    desk.failed.connect(told.append)
    desk.words.place(field("Net"))
    apart.settle()
    desk.files.save(place / "large.basket", with_data=True)
    apart.settle()
    assert isinstance(told[-1], BasketError)
    assert "not held in memory" in str(told[-1])
    assert not (place / "large.basket").exists()
    desk.files.save(place / "large.basket")
    apart.settle()
    assert (place / "large.basket").exists()


def test_fresh_records_are_told_and_folded(apart, place, qtbot):
    desk, told = apart.desk, []
    desk.news.connect(told.append)
    desk.words.place_count()
    apart.settle()
    extra = pq.read_table(place / "sales" / "0.parquet").slice(0, 7)
    pq.write_table(extra, place / "sales" / "3.parquet", store_schema=False)
    desk.supply.read_again()
    qtbot.waitUntil(lambda: desk.tables["Sales"].count == 3 * MANY + 7, timeout=20_000)
    apart.settle()
    assert any("7 records added" in each for each in told)
    assert desk.report.counted[0].kept == 3 * MANY + 7


def test_a_file_that_is_replaced_by_a_smaller_one_is_told_of_once(apart, place, qtbot):
    desk, told = apart.desk, []
    desk.failed.connect(told.append)
    desk.show_source("Sales")
    path = place / "sales" / "2.parquet"
    path.write_bytes(path.read_bytes()[:200])
    preview = apart.workspace.source.preview
    for _ in range(5):
        preview.text("Ticket", 3 * MANY - 1)
        apart.settle()
    assert told
    assert all(isinstance(each, ReadError) for each in told)
    assert len(told) <= 2


def test_opening_and_forgetting_it_leaves_nothing_at_work(apart, place):
    desk = apart.desk
    desk.do(edits.RemoveSource("Sales"))
    apart.settle()
    assert "Sales" not in desk.tables
    assert not desk.supply.looker.surveyor.busy


@pytest.fixture
def nursery(tmp_path):
    path = tmp_path / "nursery.sqlite"
    draw = random.Random(4)
    with contextlib.closing(sqlite3.connect(path)) as connection:
        connection.execute("CREATE TABLE sold (no INTEGER PRIMARY KEY, site TEXT, day TEXT, net NUMERIC)")
        days = [(DAY + datetime.timedelta(draw.randrange(300))).isoformat() for _ in range(400)]
        connection.executemany(
            "INSERT INTO sold VALUES (?, ?, ?, ?)",
            [
                (at, draw.choice(["Mill", "Yard", " ", None]), day, draw.randrange(9999) / 100)
                for at, day in enumerate(days)
            ],
        )
        connection.commit()
    return path


def test_a_table_of_a_database_is_left_there_by_its_card_folded_there_and_read_again(driver, nursery, qtbot):
    desk = driver.desk
    driver.open(nursery)
    source = "Nursery"
    for name in ("net", "site", "day"):
        desk.words.place(FieldRef(source, name))
    driver.settle()
    wanted = lines(desk.report)
    assert desk.report.counted[0].place == ""
    desk.show_source(source)
    driver.settle()
    chooser = next(
        each for each in driver.workspace.card.findChildren(QComboBox) if each.accessibleName() == "Its records"
    )
    chooser.setFocus()
    qtbot.keyClick(chooser, Qt.Key.Key_Down)
    driver.settle()
    assert desk.basket.sources[0].stays
    assert lines(desk.report) == wanted
    assert desk.report.counted[0].place == "in nursery.sqlite"
    qtbot.waitUntil(lambda: not desk.supply.looker.surveyor.busy, timeout=20_000)
    driver.settle()  # while it is looked through there is no room for where it was folded
    assert "folded in nursery.sqlite" in driver.workspace.facts.kept.text()
    profile = desk.profiles[desk.tables[source].serial, "site"]
    assert profile.different == 2
    assert profile.blanks > 100
    preview = driver.workspace.source.preview
    preview.text("no", 399)
    driver.settle()
    assert preview.text("no", 399) == "399"
    desk.undo()
    driver.settle()
    assert not desk.basket.sources[0].stays
    assert desk.report.counted[0].place == ""
    assert lines(desk.report) == wanted


def test_it_is_saved_as_staying_and_opened_so(driver, nursery, tmp_path):
    desk = driver.desk
    driver.open(nursery)
    desk.do(edits.ChangeSource("Nursery", {"stays": True}, "Leave"))
    desk.words.place(FieldRef("Nursery", "net"))
    driver.settle()
    desk.files.save(tmp_path / "left.basket")
    driver.settle()
    driver.open(tmp_path / "left.basket")
    assert desk.basket.sources[0].stays
    assert desk.report.counted[0].place == "in nursery.sqlite"
    with contextlib.closing(sqlite3.connect(nursery)) as connection:
        connection.execute("DELETE FROM sold WHERE no > 9")
        connection.commit()
    driver.act("Read all sources again")
    driver.settle()
    assert desk.report.counted[0].records == 10


def test_a_mend_of_what_stays_has_the_records_read(driver, nursery):
    desk = driver.desk
    driver.open(nursery)
    desk.do(edits.ChangeSource("Nursery", {"stays": True}, "Leave"))
    driver.settle()
    assert is_sampled(desk.tables["Nursery"])
    desk.show_source("Nursery")
    desk.sources.mend(TrimSpaces(("site",)))
    driver.settle()
    assert not is_sampled(desk.tables["Nursery"])
    assert desk.supply.outcomes["Nursery"][0].problem is None


def test_what_is_open_is_folded_on_a_cluster_and_here_again(driver, place, qtbot, monkeypatch):
    monkeypatch.setenv("FOLD_BASKET_MEMORY", "1GB")
    desk, told = driver.desk, []
    desk.failed.connect(told.append)
    driver.open(place / "sales")
    desk.words.place(field("Net"))
    desk.words.place(field("Site"))
    driver.settle()
    wanted = lines(desk.report)
    assert not driver.window.actions_by_name["Fold it here again"].isEnabled()
    driver.act("Fold it on a cluster…")
    driver.answer("Fold there", "local:1")
    qtbot.waitUntil(lambda: desk.folding.cluster is not None and not desk.busy, timeout=60_000)
    driver.settle()
    assert desk.report.counted[0].place == "on the cluster at local:1"
    assert lines(desk.report) == wanted
    driver.act("Fold it here again")
    qtbot.waitUntil(lambda: desk.folding.cluster is None and not desk.busy, timeout=60_000)
    driver.settle()
    assert desk.report.counted[0].place == ""
    assert lines(desk.report) == wanted
    desk.folding.join(Where("tcp://10.0.0.1:8786"))
    driver.settle()
    assert "certificates" in str(told[-1])


def test_files_in_an_object_store_are_opened_folded_saved_and_opened_again(driver, place, tmp_path, monkeypatch, qtbot):
    desk, told = driver.desk, []
    desk.failed.connect(told.append)
    monkeypatch.setenv("AWS_ACCESS_KEY_ID", f"seller {place}")
    monkeypatch.setenv("AWS_SECRET_ACCESS_KEY", "carrots")
    with object_store(place.parent) as (_, address):
        monkeypatch.setenv("AWS_ENDPOINT_URL", address)
        driver.act("Open files in an object store…")
        driver.answer("Open", "quillmoor/sales")
        assert "begins with s3://" in str(told[-1])
        driver.act("Open files in an object store…")
        driver.answer("Open", f"s3://{place.name}/sales/")
        desk.words.place(field("Net"))
        desk.words.place(field("Site"))
        driver.settle()
        assert desk.report.counted[0].place == "part by part"
        wanted = lines(desk.report)
        desk.files.save(tmp_path / "far.basket")
        driver.settle()
        driver.open(tmp_path / "far.basket")
        assert desk.basket.sources[0].path == f"s3://{place.name}/sales/"
        assert lines(desk.report) == wanted
        driver.act("Read all sources again")
        driver.settle()
        assert lines(desk.report) == wanted
        desk.show_source("Sales")
        driver.settle()
        assert f"s3://{place.name}/sales/" in driver.workspace.source_head.facts.text()


def test_how_a_link_fits_is_told_by_the_members_of_its_key(apart, qtbot):
    desk = apart.desk
    desk.sources.accept_links()
    apart.settle()
    qtbot.waitUntil(lambda: not desk.supply.looker.busy, timeout=20_000)
    [link] = desk.basket.links
    match = desk.supply.looker.matches[link]
    told = dict(desk.profiles[desk.tables["Sales"].serial, "Site"].frequent)
    assert (match.not_found, match.matched) == (told["lost"], told["Mill"] + told["Yard"] + told["Dock"])
    assert match.matched + match.not_found + match.blank == 3 * MANY
    assert nothing_was_read_whole(apart)


def test_how_a_link_fits_is_told_by_a_look_through_its_keys_where_they_are_numbers_or_several(apart, place, qtbot):
    desk = apart.desk
    (place / "sizes.csv").write_text("Site,Pieces,Size\nMill,1,small\nMill,2,small\nYard,1,small\nDock,49,large\n")
    apart.open(place / "sizes.csv")
    links = (
        Link("Sales", "Sizes", (("Site", "Site"), ("Pieces", "Pieces"))),
        Link("Sales", "Sizes", (("Pieces", "Pieces"),)),
    )
    for link in links:
        assert desk.do(edits.AddLinks((link,)))
        qtbot.waitUntil(lambda link=link: link in desk.supply.looker.matches, timeout=20_000)
        match = desk.supply.looker.matches[link]
        sold = pq.read_table(place / "sales", columns=["Site", "Pieces"]).to_pylist()
        pairs = {("Mill", 1), ("Mill", 2), ("Yard", 1), ("Dock", 49)} if len(link.keys) > 1 else {1, 2, 49}
        found = sum(
            ((each["Site"], each["Pieces"]) if len(link.keys) > 1 else each["Pieces"]) in pairs for each in sold
        )
        assert match.matched == found
        assert match.matched + match.not_found + match.blank == 3 * MANY
        apart.act("Undo")
        apart.settle()
    assert nothing_was_read_whole(apart)


def test_what_a_survey_told_is_kept_for_the_next_opening_while_the_files_are_the_same(
    driver, place, monkeypatch, qtbot
):
    asked = []
    real = surveying.survey

    def survey(table, stream, progress, names, between):
        asked.append(sorted(names))
        return real(table, stream, progress, names, between)

    monkeypatch.setattr(surveying, "survey", survey)
    monkeypatch.setattr(store, "SETTLED", -1.0)
    driver.open(place / "sales")
    qtbot.waitUntil(lambda: not driver.desk.supply.looker.surveyor.busy, timeout=20_000)
    driver.settle()
    serial = driver.desk.tables["Sales"].serial
    first = {name: driver.desk.profiles[serial, name] for name in driver.desk.tables["Sales"].columns}
    driver.desk.supply.forget()
    driver.desk.supply.renew(driver.desk.basket)
    driver.settle()
    qtbot.waitUntil(lambda: len(asked) > 1 and not driver.desk.supply.looker.surveyor.busy, timeout=20_000)
    serial = driver.desk.tables["Sales"].serial
    assert {name: driver.desk.profiles[serial, name] for name in first} == first
    assert asked[0] == sorted(first)
    assert asked[1] == []
    pq.write_table(
        pq.read_table(place / "sales" / "0.parquet").slice(0, 9), place / "sales" / "0.parquet", store_schema=False
    )
    driver.desk.supply.read_again()
    qtbot.waitUntil(lambda: len(asked) > 2 and not driver.desk.supply.looker.surveyor.busy, timeout=20_000)
    assert asked[2] == asked[0]


def test_reports_to_start_from_are_looked_for_once_somebody_asks(apart, qtbot):
    starters = apart.workspace.starters
    assert starters.isVisible()
    assert not starters.cards, "each would read all records"
    [look] = [each for each in starters.findChildren(QPushButton) if each.isVisible() and "Look for" in each.text()]
    assert look.text() == f"Look for reports in all {3 * MANY:,} records"
    starters.take_keyboard()
    assert look.hasFocus()
    apart.press(look, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: bool(starters.cards), timeout=20_000)
    assert not look.isVisible()
    assert len(starters.cards) >= 2
    assert nothing_was_read_whole(apart)
    card = starters.cards[0]
    proposed = lines(card.proposal.report)
    apart.press(card, Qt.Key.Key_Return)
    assert lines(apart.desk.report) == proposed
    assert apart.desk.report.counted[0].records == 3 * MANY


def test_reports_that_are_being_looked_for_are_given_up_once_something_else_is_begun(apart, qtbot, monkeypatch):
    begun, cancelled = [], []

    def never_done(ground, fold):
        fold(None)
        yield

    starters = apart.workspace.starters
    monkeypatch.setattr(view, "proposals", never_done)
    monkeypatch.setattr(Engine, "fold", lambda self, fold, progress=None, **_: waits(progress, begun, cancelled))
    starters.look_through()
    qtbot.waitUntil(lambda: bool(begun), timeout=5_000)
    apart.workspace.begin_empty()
    qtbot.waitUntil(lambda: bool(cancelled), timeout=5_000)


def waits(progress, begun, cancelled):
    """Work without an end, unless it is cancelled."""
    try:
        begun.append(1)
        while True:
            progress.step("Folding", 0.0)
            time.sleep(0.01)
    except Cancelled:
        cancelled.append(1)
        raise
