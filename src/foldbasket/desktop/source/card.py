"""The cards of the source view: of the source (findings, mends, how it is read), and of one of its fields."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

from foldbasket.baskets import edits
from foldbasket.baskets.basket import SourceSpec
from foldbasket.desktop.card.formula import field_formula_section
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.flow import FlowLayout
from foldbasket.desktop.widgets.plain import Label, elided, tip
from foldbasket.errors import FoldBasketError
from foldbasket.opening.mending import may_keep
from foldbasket.spec.field import FieldRef
from foldbasket.tables.column import Column
from foldbasket.tables.findings.finding import Finding
from foldbasket.tables.mending.mend import AnyMend, Mend
from foldbasket.tables.mending.streamed import can_be_mended
from foldbasket.tables.mending.types import ReadAs
from foldbasket.tables.mending.ways import AtOnce, Picked, Place
from foldbasket.tables.nature import as_told, nature_of
from foldbasket.tables.profile import Profile, summary
from foldbasket.tables.reading.contract import LAST_HEADER
from foldbasket.tables.reading.database import is_database
from foldbasket.tables.reading.readers import reader_of
from foldbasket.tables.sample import in_view, is_sampled
from foldbasket.tables.types import FieldType

Show = Callable[[Finding | None], None]
PLACES = ((False, "are read and held"), (True, "stay where they are"))
"""What becomes of the records of a table of a database."""
AT_FIRST = 30
"""So many findings are shown at first, and so many more each time: a field of names that are nearly alike has some thousand, whose card took 0.6 s."""
TYPES = tuple((kind, kind.value) for kind in FieldType)
_ENCODINGS = ((None, "as found"), ("utf-8", "UTF-8"), ("cp1252", "Western"), ("iso8859_15", "Latin-9"), ("cp1250", "Central European"), ("utf-16", "UTF-16"))  # fmt: skip
_DELIMITERS = ((None, "as found"), (",", "comma"), (";", "semicolon"), ("\t", "tab"), ("|", "bar"))
_MARKS = ((None, "as found"), (".", "point"), (",", "comma"))


def source_card(desk: Desk, spec: SourceSpec, show: Show, parent: QWidget) -> CardBody:
    """The card of a source: what was found, what was mended, and how it is read."""
    findings = desk.supply.findings(spec.key)
    body = CardBody("Findings", _about_findings(desk, spec, bool(findings)), parent)
    most = max(AT_FIRST, desk.sources.shown.get(spec.key, 0))
    for finding in findings[:most]:
        _finding(body, desk, spec, finding, show)
    more = min(AT_FIRST, len(findings) - most)
    if more > 0:
        rest = f"{len(findings) - most:,} more findings: show {'them' if more == len(findings) - most else f'the next {more}'}"
        body.link(rest, lambda: _show_more(desk, spec, most + more))
    left = len(desk.supply.findings(spec.key, left=True)) - len(findings)
    if left:
        done = "Look at findings that were left"
        many = f"{left} left as {'they are' if left > 1 else 'it is'}: show again"
        body.link(many, lambda: desk.do(edits.ChangeSource(spec.key, {"left": ()}, done)))
    _mends(body, desk, spec)
    table = desk.tables.get(spec.key)
    if table is not None and can_be_mended(table):
        body.section("More mends")
        _ways(body, desk, spec, Place(table))
    _reading(body, desk, spec)
    return body.end()


def _show_more(desk: Desk, spec: SourceSpec, many: int) -> None:
    desk.sources.shown[spec.key] = many
    desk.notify(Part.FINDINGS)


def _about_findings(desk: Desk, spec: SourceSpec, found: bool) -> str:
    """What is told above the findings, of which there are some or none."""
    table, looker = desk.tables.get(spec.key), desk.supply.looker
    if table is None or not is_sampled(table):
        if found:
            return "Nothing in the file is changed; a mend is a step you can undo."
        return "Looking through the records…" if looker.busy and table is not None else "Nothing that looks wrong."
    if spec.is_left_there:
        told = "These records stay in their database: it folds them, and tells those that are asked for. They are not mended."
    else:
        told = "These records are not held: they are read, folded and mended part by part."
        if may_keep(desk.basket, spec):
            told += " A mend that looks at several goes through all of them once and keeps the outcome on the disk."
    if looker.surveyor.is_at(table):
        return f"{told} Looking through their members…"
    if looker.in_order.is_at(table):
        return f"{told} Looking through whole records…"
    if spec.is_left_there:
        told += " Findings go by the members of their fields."
    return told if found else f"{told} Nothing looks wrong."


def _finding(body: CardBody, desk: Desk, spec: SourceSpec, finding: Finding, show: Show) -> None:
    body.gap(3)
    body.widget(partial(_rule, "line"))
    body.text(finding.title, "strong")
    if finding.where:
        body.text(finding.where, "quiet")
    if finding.remark:
        body.text(finding.remark, "quiet")
    body.widget(lambda parent: _ways_to_go(parent, desk, spec, finding, show))


def _rule(role: str, parent: QWidget) -> QFrame:
    """A line across the card."""
    line = QFrame(parent)
    line.setProperty("role", role)
    return line


def _ways_to_go(parent: QWidget, desk: Desk, spec: SourceSpec, finding: Finding, show: Show) -> QWidget:
    """What can be done about a finding."""
    holder = QWidget(parent)
    flow = FlowLayout(holder, gap=5, line_gap=5)
    flow.setContentsMargins(0, 1, 0, 2)
    policy = holder.sizePolicy()
    policy.setHeightForWidth(True)
    holder.setSizePolicy(policy)
    is_any = _is_any_possible(desk, spec)
    possible = [offer for offer in finding.offers if is_any or all(mend.by_record for mend in offer.mends)]
    for at, offer in enumerate(possible):
        button = _button(holder, offer.label, partial(desk.sources.mend, *offer.mends), "main" if at == 0 else "")
        flow.addWidget(button)
    table = desk.tables.get(spec.key)
    if finding.count and table is not None and not spec.is_left_there:
        flow.addWidget(_button(holder, "Show", lambda: show(finding)))
    flow.addWidget(_button(holder, "Leave", lambda: desk.sources.leave(spec.key, finding)))
    return holder


def _button(parent: QWidget, label: str, act: Callable[[], object], role: str = "") -> QPushButton:
    metrics = parent.fontMetrics()
    shown = elided(metrics, label, theme.CARD_WIDTH - 60, Qt.TextElideMode.ElideMiddle)
    button = QPushButton(shown, parent)
    if shown != label:
        button.setToolTip(tip(label))
    button.setAccessibleName(label)
    if role:
        button.setProperty("role", role)
    button.clicked.connect(lambda: act())
    return button


def _mends(body: CardBody, desk: Desk, spec: SourceSpec) -> None:
    if not spec.mends:
        return
    body.gap(8)
    body.widget(partial(_rule, "strongLine"))
    body.text("Mends so far", "strong")
    for at in range(len(spec.mends)):
        body.widget(partial(_mend, desk, spec, at))


def _mend(desk: Desk, spec: SourceSpec, at: int, parent: QWidget) -> QWidget:
    """A mend that was done, with how many it changed, to be moved and taken back."""
    mend, outcomes = spec.mends[at], desk.supply.outcomes.get(spec.key, ())
    outcome = outcomes[at] if at < len(outcomes) else None
    many = "" if outcome is None else f" · {outcome.changed:,} {_counted(mend, outcome.changed)}"
    if outcome is not None and outcome.sampled and mend.counts != "fields":
        many += f" in the {outcome.sampled:,} records looked at"
    holder = QWidget(parent)
    row = QHBoxLayout(holder)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(4)
    said = Label(f"{at + 1} · {mend.label}{many}", holder)
    said.setWordWrap(True)
    said.setProperty("role", "warning" if outcome is not None and outcome.problem else "quiet")
    said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
    if outcome is not None and outcome.problem:
        said.setText(f"{at + 1} · {mend.label} · passed over: {outcome.problem.what}")
    row.addWidget(said, 1)
    for sign, name, act, possible in (
        ("↑", f"Do “{mend.label}” earlier", edits.MoveMend(spec.key, at, at - 1), at > 0),
        ("↓", f"Do “{mend.label}” later", edits.MoveMend(spec.key, at, at + 1), at < len(spec.mends) - 1),
        ("×", f"Take back “{mend.label}”", edits.RemoveMend(spec.key, at), True),
    ):
        button = QPushButton(sign, holder)
        button.setProperty("role", "link")
        button.setToolTip(tip(name))
        button.setAccessibleName(name)
        button.setEnabled(possible)
        button.setFixedWidth(15)
        button.clicked.connect(lambda _=False, act=act: desk.do(act))
        row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
    return holder


def _counted(mend: AnyMend, count: int) -> str:
    return mend.counts if count != 1 else mend.counts.removesuffix("s")


def _reading(body: CardBody, desk: Desk, spec: SourceSpec) -> None:
    body.section("How it is read")
    body.entry("Name", spec.name, "its name", lambda text: desk.do(edits.RenameSource(spec.key, text.strip())))
    table = desk.tables.get(spec.key)
    for note in table.notes[:6] if table is not None else ():
        body.text(note, "quiet")
    stale = desk.supply.notes.get(spec.key)
    if stale:
        body.text(stale[:1].upper() + stale[1:] + ".", "warning")

    if spec.is_file and spec.data is None:
        _corrections(body, desk, spec)
    if spec.server is not None or (spec.is_file and is_database(Path(spec.path))):
        body.choice("Its records", PLACES, spec.stays, partial(_leave, desk, spec))
    if spec.server is not None:
        body.text(f"{spec.server.label}: {spec.reading.table or spec.reading.query}", "quiet")
        body.link("Read it again", desk.supply.read_again)
    body.link("Take the source out", lambda: desk.do(edits.RemoveSource(spec.key)))


def _leave(desk: Desk, spec: SourceSpec, stays: bool) -> None:
    done = f"{'Leave' if stays else 'Read'} the records of {spec.name}{' where they are' if stays else ''}"
    desk.do(edits.ChangeSource(spec.key, {"stays": stays}, done))


def _corrections(body: CardBody, desk: Desk, spec: SourceSpec) -> None:
    """What can be corrected about how a file is read."""

    def change(done: str, **changes: object) -> None:
        reading = replace(spec.reading, **changes)
        desk.do(edits.ChangeSource(spec.key, {"reading": reading}, done))

    fits = reader_of(Path(spec.path)).corrections
    if "sheet" in fits:
        sheets = [(None, "first with cells"), *((name, name) for name in desk.sources.sheets(spec.path))]
        body.choice("Sheet", sheets, spec.reading.sheet, lambda value: change("Choose the sheet", sheet=value))
        body.entry("Cells", spec.reading.cells or "", "B3:F200", lambda text: change("Choose the cells", cells=text.strip() or None))  # fmt: skip
    if "table" in fits:
        listed = desk.sources.database_tables(spec.path)
        tables = [(None, "the first"), *((each.name, each.name) for each in listed)]
        body.choice("Table", tables, spec.reading.table, lambda value: change("Choose the table", table=value))
        if sum(not each.is_view for each in listed) > 1:
            body.link("Open its other tables too", lambda: desk.sources.add_other_tables(spec))
    if "header" in fits:
        shown = "" if spec.reading.header is None else str(spec.reading.header)

        def header(text: str) -> None:
            text = text.strip()
            if text and not (text.isascii() and text.isdecimal() and int(text[:20]) <= LAST_HEADER):
                desk.sources.complain(
                    f"“{text[:20]}” is not the number of a line that can name fields.",
                    "Type it like 4; 0 when no line names the fields.",
                )
            else:
                change("Choose the header line", header=int(text) if text else None)

        body.entry("Header line", shown, "as found", header)
    if "delimiter" in fits:
        body.choice("Between fields", _DELIMITERS, spec.reading.delimiter, lambda value: change("Choose the delimiter", delimiter=value))  # fmt: skip
        body.choice("Decimal mark", _MARKS, spec.reading.decimal_mark, lambda value: change("Choose the decimal mark", decimal_mark=value))  # fmt: skip
        body.choice("Encoding", _ENCODINGS, spec.reading.encoding, lambda value: change("Choose the encoding", encoding=value))  # fmt: skip
    body.link("Read another file in its place…", desk.repoint_wanted.emit)


def field_card(desk: Desk, spec: SourceSpec, field: str, column: Column, show: Show, parent: QWidget) -> CardBody:
    """The card of a field: its profile, its findings, its type, and the mends that can be done to it."""
    table = desk.tables[spec.key]
    profile = desk.profiles.get((table.serial, field))
    body = CardBody(field, f"{summary(column, profile)} · {nature_of(column).value}", parent)
    if nature_of(column).is_rate:
        body.text(f"A sum of {field.lower()} would mean nothing: average it.", "quiet")
    made = next((each for each in desk.basket.calculated if (each.table, each.name) == (spec.key, field)), None)
    if profile is not None:
        _facts(body, column, profile, table.count)
    can_mend = made is None and can_be_mended(table)
    for finding in desk.supply.findings(spec.key) if can_mend else ():
        if finding.field == field:
            _finding(body, desk, spec, finding, show)
    if made is not None:
        field_formula_section(desk, body, FieldRef(spec.key, field), made.formula)
    if profile is not None:
        _frequent(body, column, profile)
    if not can_mend:
        return body.end()
    body.section("Type")
    body.choice("Read as", TYPES, column.type, lambda kind: _read_as(desk, spec, field, column, kind))
    if column.type is FieldType.TEXT or field in table.texts:
        body.link("Dates, day first", lambda: desk.sources.mend(ReadAs(field, FieldType.DATE, "day month year")))
        body.link("Dates, month first", lambda: desk.sources.mend(ReadAs(field, FieldType.DATE, "month day year")))
    body.section("Mend")

    _ways(body, desk, spec, Place(table, field, profile is not None and bool(profile.blanks)))
    return body.end()


def _facts(body: CardBody, column: Column, profile: Profile, records: int) -> None:
    """What is known of a field's values."""
    facts = []
    if profile.blanks is not None:
        facts.append(("Blank", f"{profile.blanks:,} of {records:,}"))
    if profile.different is not None:
        facts.append(("Different", f"{profile.different:,}"))
    for name, value in (("Smallest", profile.smallest), ("Largest", profile.largest), ("Mean", profile.mean)):
        if value is not None:
            value = as_told(column, value)
            facts.append((name, value.replace("-", "−", 1) if value[1:2].isdigit() and value[0] == "-" else value))
    for name, value in facts:
        body.row(name, partial(_fact, value, ""))


def _frequent(body: CardBody, column: Column, profile: Profile) -> None:
    """The section with a field's most frequent values."""
    if profile.frequent:
        body.section("Most frequent")
        for value, count in profile.frequent:
            shown = elided(body.fontMetrics(), as_told(column, value), 160)
            body.row(shown, partial(_fact, f"{count:,}", "quiet"))


def _fact(text: str, role: str, parent: QWidget) -> QLabel:
    said = Label(text, parent)
    said.setAlignment(Qt.AlignmentFlag.AlignRight)
    said.setProperty("role", role)
    return said


def _read_as(desk: Desk, spec: SourceSpec, field: str, column: Column, kind: FieldType) -> None:
    """Another type: as the file is read where that alone keeps the values as they were written, else by a mend."""
    plain = not spec.mends and spec.is_file and "types" in reader_of(Path(spec.path)).corrections
    if kind is FieldType.TEXT and plain:
        reading = replace(spec.reading, types={**spec.reading.types, field: kind})
        desk.do(edits.ChangeSource(spec.key, {"reading": reading}, f"Read {field} as text"))
    elif kind is not column.type:
        desk.sources.mend(ReadAs(field, kind))


def _is_any_possible(desk: Desk, spec: SourceSpec) -> bool:
    """Whether mends can be done that look at several records: where these are not held only if what becomes of them may be kept."""
    table = desk.tables.get(spec.key)
    return table is None or not is_sampled(table) or may_keep(desk.basket, spec)


def _ways(body: CardBody, desk: Desk, spec: SourceSpec, place: Place) -> None:
    """Every way in which a mend is offered for a table or a field."""
    if is_sampled(place.table):
        place = replace(place, table=in_view(place.table))
    is_any = _is_any_possible(desk, spec)
    for way in (way for kind in AnyMend.kinds if is_any or kind.by_record for way in kind.ways(place)):
        if isinstance(way, AtOnce):
            body.link(way.label, partial(desk.sources.mend, way.mend))
        elif isinstance(way, Picked):
            choices = ((None, way.none), *((each, each) for each in way.choices))
            body.choice(way.label, choices, None, partial(_made, desk, way.make))
        else:
            body.entry(way.label, "", way.hint, partial(_made, desk, way.make))


def _made(desk: Desk, make: Callable[[str], Mend], text: str | None) -> None:
    """Does the mend that is made of what was typed or chosen."""
    if text is None or not (text.strip() or text == " "):
        return
    try:
        desk.sources.mend(make(text))
    except FoldBasketError as error:
        desk.failed.emit(error)
