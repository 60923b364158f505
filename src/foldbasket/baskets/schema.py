"""The JSON schema of a basket, made from the document's own types."""

from __future__ import annotations

from typing import Any

import msgspec

from foldbasket.baskets.basket import VERSION, BasketFile


def basket_schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) that every basket's JSON satisfies."""
    schema = msgspec.json.schema(BasketFile)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Fold Basket, format {VERSION}",
        **schema,
    }
