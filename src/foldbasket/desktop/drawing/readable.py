"""What the text of a PDF is read back as, when it is searched or copied.

Qt tells of each glyph the first code point that leads to it. For digits of one width that is a private one, for a space a tab, for a
hyphen a control sign. Here such codes are told by what they show.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from itertools import chain
from typing import NamedTuple

from PyQt6.QtGui import QFont, QRawFont

from foldbasket.desktop.grid.figures import DIGITS, LETTERS, SIGNS, shaped

USUAL = "".join(dict.fromkeys(LETTERS + SIGNS))
ODD = "".join(map(chr, chain(range(1, 32), range(0xE000, 0xF900))))
"""Code points that nothing should be read back as: control signs, and Unicode's private area."""
_RANGE = re.compile(rb"<([0-9A-F]{4})> <([0-9A-F]{4})> (?:<([0-9A-F]{4})>|\[([^\]]*)\])", re.IGNORECASE)


class ReadBack(NamedTuple):
    """`signs` gives what odd code points of some fonts show; `tabular` says whether all digits of one width can be read back by them."""

    signs: Mapping[int, str]
    tabular: bool


def read_back(fonts: Iterable[QFont]) -> ReadBack:
    """What is to be known to read back text in some fonts that give every digit one width."""
    signs: dict[int, str] = {}
    tabular = True
    for font in fonts:
        found = of_font(font.key(), font)
        tabular = tabular and found.tabular and all(signs.get(code, sign) == sign for code, sign in found.signs.items())
        signs = {**found.signs, **signs}
    return ReadBack(signs, tabular)


kept: dict[str, ReadBack] = {}
"""What was found out, by font."""


def of_font(key: str, font: QFont) -> ReadBack:
    """What is to be known of one font; `key` is its name among those that are kept."""
    if key in kept:
        return kept[key]
    raw = QRawFont.fromFont(font)
    shows: dict[int, str] = {}
    for sign, glyph in _glyphs(raw, USUAL):
        shows.setdefault(glyph, sign)
    named = set(shows)
    shaped = {sign: _shaped(sign, font, raw) for sign in USUAL}
    for sign, glyph in shaped.items():
        shows.setdefault(glyph, sign)
    odd = {ord(code): glyph for code, glyph in _glyphs(raw, ODD) if glyph in shows}
    named.update(odd.values())
    made = kept[key] = ReadBack(
        {code: shows[glyph] for code, glyph in odd.items()}, all(shaped[digit] in named for digit in DIGITS)
    )
    return made


def _glyphs(raw: QRawFont, signs: str) -> Iterable[tuple[str, int]]:
    """The signs that a font has, with their glyphs."""
    return ((sign, glyph) for sign, glyph in zip(signs, raw.glyphIndexesForString(signs), strict=True) if glyph)


def _shaped(sign: str, font: QFont, raw: QRawFont) -> int:
    """The glyph that a sign is drawn with, 0 where it comes from another font."""
    runs = shaped(sign, font)
    return runs[0].glyphIndexes()[0] if runs and runs[0].rawFont().familyName() == raw.familyName() else 0


def told(table: bytes, signs: Mapping[int, str]) -> bytes:
    """A PDF's table of what its glyphs mean (ToUnicode, ISO 32000-1, 9.10.3) with odd code points told by what they show."""

    def one(found: re.Match[bytes]) -> bytes:
        first, last = int(found[1], 16), int(found[2], 16)
        if found[3] is not None:
            codes = list(range(int(found[3], 16), int(found[3], 16) + last - first + 1))
        else:
            codes = [int(code, 16) for code in re.findall(rb"<([0-9A-Fa-f]{4})>", found[4])]
        if not any(code in signs for code in codes):
            return found[0]
        meant = b" ".join(b"<%04X>" % ord(signs.get(code, chr(code))) for code in codes)
        return b"<%s> <%s> [%s]" % (found[1], found[2], meant)

    return _RANGE.sub(one, table)
