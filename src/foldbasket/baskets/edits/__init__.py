"""Edits: everything a user can do to a basket, one small class each, from one basket to the next.

`label` is what the list of steps says. An edit that does not fit raises a FoldBasketError and changes nothing.
"""

from foldbasket.baskets.edits.edit import Edit
from foldbasket.baskets.edits.folds import AddFold, ChangeBasket, ChangeFold, RemoveFold, RenameFold, SayFold, Turn
from foldbasket.baskets.edits.formulas import AddField, ChangeField, RemoveField, RenameField
from foldbasket.baskets.edits.looks import ChangeLook, ChangePage, MoveHighlight, PutHighlight, SayLook
from foldbasket.baskets.edits.sources import (
    AddLinks,
    AddMends,
    AddSources,
    ChangeLink,
    ChangeSource,
    MoveMend,
    RemoveLink,
    RemoveMend,
    RemoveSource,
    RenameSource,
    ShareField,
)
from foldbasket.baskets.edits.words import (
    STRANDS,
    Change,
    DrillBack,
    DrillInto,
    FoldLevel,
    FoldUp,
    Move,
    OfferPicker,
    Place,
    Remove,
    Swap,
    find_word,
    strand_of,
)

__all__ = [
    "STRANDS",
    "AddField",
    "AddFold",
    "AddLinks",
    "AddMends",
    "AddSources",
    "Change",
    "ChangeBasket",
    "ChangeField",
    "ChangeFold",
    "ChangeLink",
    "ChangeLook",
    "ChangePage",
    "ChangeSource",
    "DrillBack",
    "DrillInto",
    "Edit",
    "FoldLevel",
    "FoldUp",
    "Move",
    "MoveHighlight",
    "MoveMend",
    "OfferPicker",
    "Place",
    "PutHighlight",
    "Remove",
    "RemoveField",
    "RemoveFold",
    "RemoveLink",
    "RemoveMend",
    "RemoveSource",
    "RenameField",
    "RenameFold",
    "RenameSource",
    "SayFold",
    "SayLook",
    "ShareField",
    "Swap",
    "Turn",
    "find_word",
    "strand_of",
]
