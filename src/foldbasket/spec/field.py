"""How things of a basket name a field of a table."""

from __future__ import annotations

import msgspec


class FieldRef(msgspec.Struct, frozen=True, forbid_unknown_fields=True, order=True):
    """A field of a table, by their names in the basket."""

    table: str
    field: str


class Shared(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Fields of different tables that mean the same, such as the region of a customer and that of a plan: what lays
    measures of several tables of facts side by side."""

    fields: tuple[FieldRef, ...]
