"""What is usually made of a field when nobody says more: how its values are summed up, and the part of its dates that makes a readable axis."""

from __future__ import annotations

from datetime import datetime

from foldbasket.folding.states.aggregates.aggregate import NUMBERS
from foldbasket.tables.column import Column
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.profile import profile_of
from foldbasket.tables.unread import at_hand


def usual_aggregate(column: Column) -> str:
    """Amounts and quantities sum, prices, rates and percentages average, identifiers and words count."""
    nature = nature_of(column)
    if column.type not in NUMBERS or nature is Nature.IDENTIFIER:
        return "count values"
    return "average" if nature.is_rate else "sum"


def usual_part(column: Column) -> str | None:
    """The part of a date that makes a readable axis: quarters over some years, months within one, days within a month."""
    if not column.type.is_time:
        return None
    profile = profile_of(at_hand(column))
    if profile.smallest is None or profile.largest is None:
        return "month"
    span = (datetime.fromisoformat(profile.largest) - datetime.fromisoformat(profile.smallest)).days
    return "year" if span > 6 * 366 else "quarter" if span > 366 else "month" if span > 62 else "day"
