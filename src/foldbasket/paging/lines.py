"""The lines at head and foot of a page: texts with fields in braces."""

from __future__ import annotations

import datetime
import re
from collections.abc import Mapping

from foldbasket.errors import OutputError
from foldbasket.folding.report.report import Report
from foldbasket.spec.filter import OneField
from foldbasket.spec.page import FIELDS
from foldbasket.styling.dates import EPOCH, day_text

FIELD = re.compile(r"\{([^{}]*)\}")


def check_line(text: str) -> None:
    """Raises OutputError for a field that there is none of."""
    for name in FIELD.findall(text):
        if name not in FIELDS:
            listed = ", ".join("{" + each + "}" for each in FIELDS)
            raise OutputError(f"there is no “{{{name}}}” for a page.", todo=f"Fields are: {listed}.")


def values_of(report: Report) -> dict[str, str]:
    """The fields that are the same on every page."""
    today, origin = day_text((datetime.date.today() - EPOCH).days, report.locale), report.origin
    return {
        "title": report.title or report.name,
        "sentence": report.sentence,
        "date": today,
        "asof": origin.as_of() if origin is not None else "",
        "source": origin.sources if origin is not None else "",
        "file": origin.file if origin is not None else "",
        "picked": "; ".join(_picked(report)),
    }


def _picked(report: Report) -> list[str]:
    """What the pickers are set to: “Site: Alder Yard”."""
    fold = report.origin.fold if report.origin is not None else None
    rules = [rule for rule in fold.filters if rule.picker] if fold is not None else []
    return [f"{rule.picker}: {rule.condition(str)}" if isinstance(rule, OneField) else rule.picker for rule in rules]


def filled(text: str, values: Mapping[str, str]) -> str:
    """A line with its fields filled in; one that there is none of stays as it is typed."""
    return FIELD.sub(lambda found: values.get(found[1], found[0]), text)
