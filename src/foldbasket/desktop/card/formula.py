"""Cards and sections about formulas: a new one, that of a measure, that of a calculated field."""

from __future__ import annotations

import msgspec
from PyQt6.QtGui import QTextCursor
from PyQt6.QtWidgets import QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.card.editor import FormulaEditor
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.work.formulas import Judged
from foldbasket.folding.filters.condition import Condition
from foldbasket.formulas.help import PATTERNS
from foldbasket.sentence.phrases import measure_heading
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Measure

SIGNS = (("-", "less"), ("+", "plus"), ("/", "divided by"), ("*", "times"))


def new_formula_card(desk: Desk, text: str, parent: QWidget) -> CardBody:
    """The card on which a new field or measure is written."""
    body = CardBody(
        "Calculate",
        "With an aggregate such as SUM it becomes a measure; without, a field of each record.",
        parent,
    )
    # What is typed outlives the card, which is built anew when something else on the desk changes.
    body.section("Name", desk.view.drafted_name)
    body.piece(lambda: _drafted_name(desk, body))
    body.section("Formula", wanted=True)
    body.piece(lambda: _draft(desk, body, text))
    _by_picking(desk, body)
    body.section("Place")
    body.link("Leave it", lambda: desk.calculate(None))
    return body.end()


def _drafted_name(desk: Desk, body: CardBody) -> None:
    name = body.made_entry("Called", desk.view.drafted_name, "Margin", lambda _: None)
    name.textChanged.connect(lambda called: desk.view.keep_draft(desk.view.drafted or "", called))


def _draft(desk: Desk, body: CardBody, text: str) -> None:
    """The formula that is being written, and what can become of it."""

    def make(formula: str) -> None:
        desk.formulas.make(formula, desk.view.drafted_name)

    editor = FormulaEditor(text, desk.formulas.judge, make, desk.formulas.work_out, body)
    editor.first = ""
    body.column.addWidget(_prepared(desk, editor))
    body.link("Make it (Enter)", editor.commit)
    body.link("Keep only records where it holds", lambda: desk.formulas.keep_where(editor.text.toPlainText().strip()))
    body.choice(
        "Start from", [(None, "a pattern"), *((each, each.name) for each in PATTERNS)], None,
        lambda pattern: editor.start_from(pattern.text) if pattern else None,
    )  # fmt: skip
    editor.text.textChanged.connect(lambda: desk.view.keep_draft(editor.text.toPlainText(), desk.view.drafted_name))
    cursor = editor.text.textCursor()
    cursor.movePosition(QTextCursor.MoveOperation.End)
    editor.text.setTextCursor(cursor)


def _by_picking(desk: Desk, body: CardBody) -> None:
    """Arithmetic of two measures without typing."""
    fold = desk.fold
    measures = [(each, measure_heading(each)) for each in fold.measures] if fold is not None else []
    if len(measures) < 2:
        return
    body.section("Or pick two measures")
    picked = desk.formulas.picked
    for name, first in (("one", measures[0][0]), ("other", measures[1][0])):
        if picked.get(name) not in [each for each, _ in measures]:
            picked[name] = first
    body.choice("One", measures, picked["one"], lambda each: picked.update(one=each))
    body.choice("Sign", SIGNS, picked.setdefault("sign", "-"), lambda each: picked.update(sign=each))
    body.choice("Other", measures, picked["other"], lambda each: picked.update(other=each))
    body.link("Make a measure of them", lambda: desk.formulas.combine(picked["one"], picked["sign"], picked["other"]))


def measure_formula_section(desk: Desk, body: CardBody, measure: Measure) -> None:
    """The formula of a measure, on its card."""
    body.section("Formula")

    def editor(parent: QWidget) -> QWidget:
        made = FormulaEditor(
            measure.formula,
            lambda text: desk.formulas.judge_measure(text, measure),
            lambda text: desk.words.change(
                measure.id, f"Change the formula of {measure_heading(measure)}", formula=text
            ),
            desk.formulas.work_out,
            parent,
        )
        return _prepared(desk, made, measure=measure.id)

    body.widget(editor)
    body.text("Enter takes the formula, Shift+Enter starts a line, Ctrl+Space lists what can stand here.", "quiet")


def condition_card(desk: Desk, rule: Condition, parent: QWidget) -> CardBody:
    """The card of a filter by a formula."""
    body = CardBody("Keep where …", "A condition on each record, before anything is summed", parent)
    fold = desk.fold
    assert fold is not None
    body.section("Formula")

    def judge(text: str) -> Judged:
        return desk.formulas.judge_condition(text)

    def apply(text: str) -> None:
        desk.do(edits.Swap(fold.key, rule.id, msgspec.structs.replace(rule, formula=text), "Change a condition"))

    body.widget(
        lambda parent: _prepared(desk, FormulaEditor(rule.formula, judge, apply, desk.formulas.work_out, parent))
    )
    body.section("Place")
    body.link("Take it out", lambda: desk.words.remove(rule.id))
    return body.end()


def field_formula_section(desk: Desk, body: CardBody, ref: FieldRef, formula: str) -> None:
    """The formula and the name of a calculated field, on its card."""
    body.section("Formula")
    problem = desk.supply.problems.get((ref.table, ref.field))
    if problem is not None:
        body.text(str(problem), "warning")

    def editor(parent: QWidget) -> QWidget:
        made = FormulaEditor(
            formula,
            lambda text: desk.formulas.judge_field(text, ref.table),
            lambda text: desk.formulas.change_field(ref, text),
            desk.formulas.work_out,
            parent,
        )
        return _prepared(desk, made, without=(ref.table, ref.field))

    body.widget(editor)
    body.entry("Rename to", "", ref.field, lambda text: _rename(desk, ref, text.strip()))
    body.link("Take the field out", lambda: desk.do(edits.RemoveField(ref.table, ref.field)))


def _rename(desk: Desk, ref: FieldRef, to: str) -> None:
    if desk.do(edits.RenameField(ref.table, ref.field, to)) and desk.view.source_key is not None:
        desk.show_source(ref.table, to)


def _prepared(
    desk: Desk, editor: FormulaEditor, without: tuple[str, str] | None = None, measure: str | None = None
) -> FormulaEditor:
    """The editor, which now knows what it can offer."""
    editor.text.offered = desk.formulas.offers(without, measure)
    editor.text.members_of = desk.formulas.members
    return editor
