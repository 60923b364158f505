"""Gestures on a report that is still in view while the fold is another already: what they were about may be gone, which is told."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar

from foldbasket.errors import FoldBasketError

Gesture = TypeVar("Gesture", bound=Callable[..., Any])


def told(gesture: Gesture) -> Gesture:
    """Decorator for a gesture of a view with a `desk`: an error of ours is told by that."""

    @wraps(gesture)
    def tried(view: Any, *given: Any) -> Any:
        try:
            return gesture(view, *given)
        except FoldBasketError as error:
            view.desk.not_done(error)
            return None

    return tried  # type: ignore[return-value]
