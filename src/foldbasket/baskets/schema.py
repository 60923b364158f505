"""The JSON schema of a basket, made from the document's own types, and what may stand at a place of one."""

from __future__ import annotations

import re
from typing import Any

from msgspec import inspect

from foldbasket import kinds
from foldbasket.baskets.basket import VERSION, BasketFile


def basket_schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) that every basket's JSON satisfies."""
    schema = kinds.json_schema(BasketFile)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Fold Basket, format {VERSION}",
        **schema,
    }


def allowed_at(path: str) -> list[str]:
    """What may stand at a place of a basket, such as ``$.folds[0].filters[2].sign``: the words of an enumeration, the kinds that tell
    several things apart, or the names that a thing has; empty where that is no such list."""
    found = [inspect.type_info(BasketFile)]
    steps = re.findall(r"\.([^.\[\]]+)|\[([^\]]*)\]", path)
    for name, index in steps:
        inner: list[inspect.Type] = []
        for each in _plain(found):
            if name and isinstance(each, inspect.StructType):
                if name == each.tag_field:
                    inner.append(inspect.LiteralType((each.tag,)))
                inner += [field.type for field in each.fields if field.encode_name == name]
            elif isinstance(each, inspect.DictType):
                inner.append(each.value_type)
            elif index and isinstance(each, inspect.TupleType):
                inner += each.item_types[int(index) :][:1] if index.isdecimal() else each.item_types
            elif index and isinstance(each, inspect.CollectionType):
                inner.append(each.item_type)
        found = inner
    words: dict[str, None] = {}
    for each in _plain(found):
        if isinstance(each, inspect.LiteralType):
            words.update(dict.fromkeys(str(value) for value in each.values))
        elif isinstance(each, inspect.EnumType):
            words.update(dict.fromkeys(str(value.value) for value in each.cls))
        elif isinstance(each, inspect.StructType):
            words.update(dict.fromkeys([each.tag_field] if each.tag_field else []))
            words.update(dict.fromkeys(field.encode_name for field in each.fields))
    return list(words)


def _plain(types: list[inspect.Type]) -> list[inspect.Type]:
    """The types with unions taken apart and notes taken off."""
    out: list[inspect.Type] = []
    for each in types:
        while isinstance(each, inspect.Metadata):
            each = each.type
        if isinstance(each, inspect.UnionType):
            out += _plain(list(each.types))
        elif isinstance(each, inspect.CustomType):
            out += kinds.types_of(each.cls)
        else:
            out.append(each)
    return out
