"""Takes the pictures in docs/screenshots/ from the demo: one current PNG of each main view, 1280 by 800."""

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
home = tempfile.TemporaryDirectory()
for name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
    os.environ[name] = home.name

from PyQt6.QtCore import QEventLoop, QTimer  # noqa: E402
from PyQt6.QtGui import QColor, QImage, QPainter  # noqa: E402
from PyQt6.QtTest import QTest  # noqa: E402
from PyQt6.QtWidgets import QApplication  # noqa: E402

from foldbasket.baskets.edits import AddFold, ChangeLook, ChangePage, FoldLevel, OfferPicker, Place, PutHighlight  # noqa: E402
from foldbasket.demo.scenario import write_demo  # noqa: E402
from foldbasket.demo.untidy import UNTIDY_LINES  # noqa: E402
from foldbasket.desktop.actions.action import ACTIONS  # noqa: E402
from foldbasket.desktop.card.editor import FormulaText  # noqa: E402
from foldbasket.desktop.grid.selection import Marked  # noqa: E402
from foldbasket.desktop.shell.app import made  # noqa: E402
from foldbasket.desktop.shell.window import MainWindow  # noqa: E402
from foldbasket.desktop.source.database import DatabaseDialog  # noqa: E402
from foldbasket.folding.compare.against import Against, How, Other  # noqa: E402
from foldbasket.folding.compare.shares import ShareOf, Whole  # noqa: E402
from foldbasket.folding.dress.conditions.ends import AmongBottom  # noqa: E402
from foldbasket.folding.dress.conditions.others import Always  # noqa: E402
from foldbasket.folding.dress.conditions.thresholds import AtLeast  # noqa: E402
from foldbasket.folding.dress.forms.graded import Bar  # noqa: E402
from foldbasket.folding.dress.forms.marks import Ground, Ink  # noqa: E402
from foldbasket.folding.filters.members import Members  # noqa: E402
from foldbasket.folding.filters.values import Between  # noqa: E402
from foldbasket.spec.chart import Values  # noqa: E402
from foldbasket.spec.field import FieldRef  # noqa: E402
from foldbasket.spec.fold import Fold, Measure, Placed  # noqa: E402
from foldbasket.spec.look import Highlight, Scope  # noqa: E402
from foldbasket.styling.numbers import NumberStyle  # noqa: E402
from foldbasket.styling.styles import Colour  # noqa: E402
from foldbasket.tables.reading.database import Listed  # noqa: E402


def wait_until(done: Callable[[], bool], most: float = 20.0) -> None:
    """Lets the window work until something holds."""
    loop = QEventLoop()
    timer = QTimer()
    timer.timeout.connect(lambda: loop.exit(1) if done() else None)
    timer.start(20)
    QTimer.singleShot(int(most * 1000), loop.quit)
    if not loop.exec():
        raise SystemExit("screenshots: the window did not get there in time")


def typed_picture(window: MainWindow, folder: Path) -> None:
    """The sentence being typed, with what could come next."""
    window.workspace.type_sentence("net by region and quarter, trade only")
    typed = window.workspace.typed
    wait_until(lambda: typed.said.text().startswith("Read as"))
    for key in ", to":
        QTest.keyClick(typed.text, key)
    wait_until(lambda: typed.text.list.count() > 0 and not window.desk.busy)
    QApplication.processEvents()
    picture = window.grab()
    painter = QPainter(picture)
    listed = typed.text.list
    painter.drawPixmap(listed.pos() - window.pos(), listed.grab())
    painter.end()
    picture.save(str(folder / "typed-sentence.png"))
    print(folder / "typed-sentence.png")
    typed.put_back()


def main(folder: Path) -> None:
    """Takes every picture."""
    folder.mkdir(parents=True, exist_ok=True)
    app = made()
    window = MainWindow()
    window.resize(1280, 800)
    window.show()

    def shoot(name: str) -> None:
        app.processEvents()
        wait_until(lambda: not (window._desk and window.desk.busy))
        app.processEvents()
        window.grab().save(str(folder / f"{name}.png"))
        print(folder / f"{name}.png")

    shoot("first-start")
    data = Path(home.name) / "quillmoor"
    basket = write_demo(data)
    window.open_paths([data / f"{name}.csv" for name in ("order_lines", "orders", "customers", "varieties")])
    wait_until(
        lambda: window._desk is not None and bool(window.desk.profiles) and bool(window.workspace.starters.cards)
    )
    shoot("starters")
    window.desk.files.begin_anew()
    window.open_paths([basket])
    wait_until(lambda: window.desk.report is not None and bool(window.desk.profiles))
    desk = window.desk
    desk.select_word("channel")
    shoot("member-filter")
    desk.show_fold("Lines, quarter by quarter")
    desk.select_word(None)
    wait_until(lambda: desk.report is not None and desk.report.name == "Lines, quarter by quarter")
    typed_picture(window, folder)
    desk.show_fold("Lines, quarter by quarter")
    wait_until(lambda: desk.report is not None and desk.report.name == "Lines, quarter by quarter")
    comparison_pictures(window, shoot)
    look_pictures(window, shoot)
    chart_pictures(window, shoot)
    fold_pictures(window, shoot, folder)
    source_pictures(window, shoot, data, folder)
    window.desk.close()  # not the window, which would ask what to do with unsaved work


def comparison_pictures(window: MainWindow, shoot: Callable[[str], None]) -> None:
    """Net sales beside their share and their change on the year before."""
    desk = window.desk
    net = FieldRef("Order lines", "Net")
    whole = NumberStyle(pattern="#,##0")
    measures = (
        Measure("net", "sum", net, heading="Net sales", number=whole),
        Measure("share", "sum", net, heading="Share", compare=ShareOf(Whole.COLUMN)),
        Measure(
            "change", "sum", net, heading="On a year before", compare=Against("y", Other.YEAR_BEFORE, None, How.CHANGE)
        ),
    )
    rows = (Placed("line", FieldRef("Varieties", "Line")),)
    columns = (Placed("y", FieldRef("Order lines", "Order date"), part="year"),)
    desk.do(AddFold(Fold("Shares and change", measures, rows, columns, column_total="off")))
    wait_until(lambda: desk.report is not None and desk.report.name == "Shares and change")
    desk.select_word("change")
    shoot("comparison")


def look_pictures(window: MainWindow, shoot: Callable[[str], None]) -> None:
    """A report with highlights, in a style of its own; both are undone again."""
    desk, name = window.desk, "Net sales by site"
    desk.show_fold(name)
    wait_until(lambda: desk.report is not None and desk.report.name == name)
    above = Highlight("above", "net", AtLeast("120000"), Ground(Colour.MOSS))
    least = Highlight("least", "net", AmongBottom("1"), Ink(Colour.MADDER), Scope.COLUMN)
    length = Highlight("length", "cost", Always(), Bar(Colour.OCHRE))
    for each in (above, least, length):
        desk.do(PutHighlight(name, each, "Highlight"))
    desk.select_word("net")
    desk.view.section = "Highlights"
    window.workspace.card.again()
    shoot("highlights")
    desk.select_word(None)
    desk.do(ChangeLook(name, {"style": "slate"}, "Style Slate"))
    desk.view.section = "Report's style"
    window.workspace.card.again()
    shoot("style")
    for _ in range(4):
        desk.undo()


def chart_pictures(window: MainWindow, shoot: Callable[[str], None]) -> None:
    """A chart under its report with a mark on both, and the pages of another fold; all of it is undone again."""
    desk, name = window.desk, "Lines, quarter by quarter"
    desk.show_fold(name)
    wait_until(lambda: desk.report is not None and desk.report.name == name)
    desk.do(FoldLevel(name, desk.fold.rows[0].id, True, "Line"))
    desk.show_chart()
    desk.change_chart("Values", values=Values.ENDS)
    chart = window.workspace.room.chart
    wait_until(
        lambda: chart is not None and chart.shown is not None and chart.shown.picture is not None and not desk.busy
    )
    chart.choose(next(each for each in chart.shown.picture.marks if each.place == 2))
    shoot("chart")
    for _ in range(3):
        desk.undo()
    name = "Net sales by site"
    desk.show_fold(name)
    wait_until(lambda: desk.report is not None and desk.report.name == name)
    desk.do(ChangePage(name, {"breaks": desk.fold.rows[0].id}, "Break pages"))
    desk.show_pages()
    begun = time.monotonic()  # small pages are drawn one in each turn of the loop
    wait_until(lambda: not desk.busy and time.monotonic() - begun > 1.0)
    shoot("pages")
    desk.show_pages(False)
    desk.undo()


def reading_picture(window: MainWindow, shoot: Callable[[str], None]) -> None:
    """A report that is read: chart and pickers beside it, one of which was used."""
    desk, sites = window.desk, "Net sales by site"
    desk.show_fold(sites)
    wait_until(lambda: desk.report is not None and desk.report.name == sites)
    before = desk.history.position
    region = Members("region pick", FieldRef("Customers", "Region"), exclude=True)
    desk.do(Place(sites, "filters", region, "Region"))
    desk.do(Place(sites, "filters", Between("net pick", FieldRef("Order lines", "Net")), "Net"))
    for word, name in (("channel", "Channel"), ("region pick", "Region"), ("net pick", "Net")):
        desk.do(OfferPicker(sites, word, (sites,), name))
    desk.show_chart()
    wait_until(lambda: not desk.busy)
    ACTIONS["Read, without editing"].run(window)
    wait_until(lambda: not desk.busy)
    QTest.qWait(900)  # the chart is drawn anew in its new size
    wait_until(lambda: not desk.busy)
    shoot("reading")
    ACTIONS["Read, without editing"].run(window)
    desk.go_to_step(before)
    wait_until(lambda: not desk.busy)


def fold_pictures(window: MainWindow, shoot: Callable[[str], None], folder: Path) -> None:
    """All others, two tables of facts, a report that is read, a formula as it is typed, and a proof."""
    desk, grid = window.desk, window.workspace.grid

    def show(name: str) -> None:
        desk.show_fold(name)
        wait_until(lambda: desk.report is not None and desk.report.name == name)

    show("Ten best customers")
    desk.select_word("who")
    shoot("best-customers")
    show("Actual vs plan")
    desk.select_word("region")
    shoot("plan-and-actual")
    reading_picture(window, shoot)
    ACTIONS["Calculate a field or measure…"].run(window)
    wait_until(lambda: not desk.busy)
    text = window.workspace.card.findChild(FormulaText)
    assert text is not None
    text.setFocus()
    QTest.keyClicks(text, "(SUM(Net) - SUM(Co")
    QApplication.processEvents()
    picture = window.grab()
    painter = QPainter(picture)
    painter.drawPixmap(window.mapFromGlobal(text.list.pos()), text.list.grab())
    painter.end()
    picture.save(str(folder / "formula.png"))
    print(folder / "formula.png")
    desk.formulas.make("(SUM(Net) - SUM(Cost)) / SUM(Net)", "Margin")
    wait_until(lambda: not desk.busy)
    grid.mark(Marked(3, 2, 3, 2, 3, 2))
    ACTIONS["Proof of the cell at the mark"].run(window)
    shoot("proof")
    window.workspace.proof.hide()
    desk.undo()


def source_pictures(window: MainWindow, shoot: Callable[[str], None], data: Path, folder: Path) -> None:
    """The source view: findings, after mending, the map with a fault, fresh data, and the dialog for a database."""
    desk, name = window.desk, "Untidy order lines"
    window.open_paths([data / UNTIDY_LINES])
    wait_until(lambda: name in desk.tables and not desk.busy)

    def looked() -> None:
        wait_until(lambda: not desk.busy and not desk.supply.looker.busy)

    desk.show_source(name)
    looked()
    shoot("source-findings")
    desk.sources.accept_links()
    looked()
    shoot("link-map")
    while todo := [each for each in desk.supply.findings(name) if each.offers and each.kind != "no amount"]:
        desk.sources.mend(*todo[0].offers[0].mends)
        looked()
    desk.show_source(name)
    shoot("source-mended")
    desk.show_fold("Channels and segments")
    with (data / "order_lines.csv").open("a") as file:
        file.write("Q-20001,9,2026-09-30,Fair,V0147,12,9.53,114.36,60.00\n" * 3)
    wait_until(lambda: bool(window.workspace.facts.news.whole))
    shoot("fresh-data")
    dialog = DatabaseDialog(window)
    dialog.host.setText("db.quillmoor.example")
    dialog.database.setText("nursery")
    dialog.user.setText("analyst")
    dialog.show_listed(
        [
            Listed("customers", False, ("customer_no", "customer", "region")),
            Listed("order_lines", False, ("order_no", "line_no", "net")),
            Listed("net_by_month", True, ("month", "net")),
        ]
    )
    dialog.tick("order_lines")
    dialog.tick("customers")
    page = QImage(1280, 800, QImage.Format.Format_RGB32)
    page.fill(QColor("#E7E3D8"))
    painter = QPainter(page)
    shown = dialog.grab()
    painter.drawPixmap((1280 - shown.width()) // 2, (800 - shown.height()) // 2, shown)
    painter.end()
    page.save(str(folder / "database.png"))
    print(folder / "database.png")
    dialog.reject()


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots"))
