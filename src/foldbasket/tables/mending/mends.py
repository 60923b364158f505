"""Every mend there is. A new one is a class in one of the files beside this one, and its name in this list."""

from __future__ import annotations

from foldbasket.tables.mending.fields import GatherFields, HideFields, JoinFields, RenameField
from foldbasket.tables.mending.rows import DropEmptyRows, DropMatching, DropRepeatedRows
from foldbasket.tables.mending.texts import BlankOut, FillDown, KeepPart, ReplaceValues, SplitField, TrimSpaces, Unify
from foldbasket.tables.mending.types import BlankMisfits, ReadAs, ScaleUnit

AnyMend = (
    TrimSpaces
    | Unify
    | ReplaceValues
    | BlankOut
    | FillDown
    | KeepPart
    | SplitField
    | ReadAs
    | BlankMisfits
    | ScaleUnit
    | DropEmptyRows
    | DropRepeatedRows
    | DropMatching
    | RenameField
    | HideFields
    | JoinFields
    | GatherFields
)
