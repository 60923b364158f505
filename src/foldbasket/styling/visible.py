"""Text from elsewhere as it is shown to somebody who decides by it: signs that hide or reorder others are written out."""

from __future__ import annotations

import unicodedata

HIDDEN = frozenset({"Cc", "Cf", "Co", "Cs", "Zl", "Zp"})
"""Unicode categories that draw nothing of their own: control, format (which reverse what follows, or join it), private, half letters, and breaks of lines."""


def visible(text: str, *, lines: bool = False) -> str:
    """Return the text with each hidden sign as its number, such as ⟨U+202E⟩, and each tab or break of a line as a space; with `lines` these stay."""
    return "".join(_sign(sign, lines=lines) for sign in text)


def _sign(sign: str, *, lines: bool) -> str:
    if sign in "\t\n\r":
        return sign if lines and sign != "\r" else " "
    if unicodedata.category(sign) in HIDDEN or (unicodedata.category(sign) == "Zs" and sign != " "):
        return f"⟨U+{ord(sign):04X}⟩"
    return sign
