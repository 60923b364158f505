"""The order of labels: letters as the reader's language has them, digits by their number.

Most members are plain letters and digits, and there can be millions of them: their sort keys are bytes, made by a compiled loop over all of
them at once; the others get keys of the same form one by one.
"""

from __future__ import annotations

import re
import unicodedata
from functools import cache, lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

LETTERS: dict[str, dict[str, str]] = {
    "sv": {"z": "åäö"}, "fi": {"z": "åäö"}, "da": {"z": "æøå"}, "nb": {"z": "æøå"}, "nn": {"z": "æøå"}, "no": {"z": "æøå"},
    "is": {"d": "ð", "z": "þæöå"}, "et": {"s": "šzž", "w": "õäöü"}, "es": {"n": "ñ"}, "gl": {"n": "ñ"}, "eu": {"n": "ñ"},
    "pl": {"a": "ą", "c": "ć", "e": "ę", "l": "ł", "n": "ń", "o": "ó", "s": "ś", "z": "źż"},
    "cs": {"c": "č", "r": "ř", "s": "š", "z": "ž"}, "sk": {"a": "ä", "c": "č", "o": "ô", "s": "š", "z": "ž"},
    "hr": {"c": "čć", "d": "đ", "s": "š", "z": "ž"}, "sl": {"c": "č", "s": "š", "z": "ž"}, "hu": {"o": "ö", "u": "ü"},
    "tr": {"c": "ç", "g": "ğ", "h": "ı", "o": "ö", "s": "ş", "u": "ü"}, "ro": {"a": "ăâ", "i": "î", "s": "ș", "t": "ț"},
    "lt": {"c": "č", "s": "š", "z": "ž"}, "lv": {"c": "č", "g": "ģ", "k": "ķ", "l": "ļ", "n": "ņ", "s": "š", "z": "ž"},
}  # fmt: skip
"""Letters that a language counts as its own and where it puts them: behind which letter, in this order. In languages that are not
listed an accent only tells equal letters apart."""


@lru_cache(maxsize=64)
def own_letters(locale: str) -> dict[int, str]:
    """For each letter that a locale's language counts as its own, signs that sort where it belongs."""
    after = LETTERS.get(re.split(r"[_-]", locale)[0], {})
    return {
        ord(letter): base + chr(0x10FF00 + place)
        for base, letters in after.items()
        for place, letter in enumerate(letters)
    }


@lru_cache(maxsize=64)
def _leaves_ascii(locale: str) -> bool:
    """Whether every letter that a language counts as its own has a sign beyond ASCII."""
    return all(letter > 127 for letter in own_letters(locale))


def natural_key(text: str, locale: str = "en") -> tuple[object, ...]:
    """Sort key of a label: letters in the order of the locale's language, without regard to case and to accents that make no
    letter of their own; runs of digits by their number; then exactly."""
    letters, as_is = own_letters(locale), _leaves_ascii(locale)
    pieces = re.split(r"(\d+)", text)

    def plain(piece: str) -> str:
        if as_is and piece.isascii():  # most are
            return piece.lower()
        piece = unicodedata.normalize("NFC", piece).casefold().translate(letters)
        return "".join(sign for sign in unicodedata.normalize("NFKD", piece) if not unicodedata.combining(sign))

    def number(piece: str) -> tuple[int, str]:
        digits = piece.lstrip(
            "0"
        )  # of two numbers without leading zeros the longer is the larger, whatever their length
        return len(digits), digits

    return ([number(piece) if at % 2 else (-1, plain(piece)) for at, piece in enumerate(pieces)], text)


MANY = 5_000
"""Fewer texts are put in order one by one, sooner than the compiled loops are loaded."""


def natural_order(texts: pa.Array, locale: str = "en") -> npt.NDArray[np.int64]:
    """The numbers of some texts in their order, that of `natural_key`; shape (texts,)."""
    keys = _keys(texts, locale) if len(texts) > MANY else None
    if keys is None:
        listed = texts.to_pylist()
        return np.array(sorted(range(len(listed)), key=lambda at: natural_key(listed[at], locale)), np.int64)
    return pc.sort_indices(keys).to_numpy().astype(np.int64)


NUMBER = b"\x01"
"""Stands before a number in a key; before it, by its lower byte, the end of the text. So a text that goes on comes after one that ends."""
MOST_DIGITS = 65_535


def _keys(texts: pa.Array, locale: str) -> pa.Array | None:
    """Texts as bytes that sort as they do; None where some hold signs below those that the keys are built with, or a language has plain letters
    of its own."""
    if not len(texts) or not _leaves_ascii(locale):
        return None
    whole = texts.cast(pa.large_string())
    offsets = np.frombuffer(whole.buffers()[1], np.int64)[whole.offset : whole.offset + len(whole) + 1]
    signs = np.frombuffer(whole.buffers()[2] or b"", np.uint8)
    measure, fill = _compiled()
    lengths, is_plain = measure(signs, offsets)
    if (lengths < 0).any():
        return None
    others = {int(at): _key_of(whole[int(at)].as_py(), locale) for at in np.flatnonzero(~is_plain)}
    if any(key is None for key in others.values()):
        return None
    for at, key in others.items():
        lengths[at] = len(key or b"")
    places = np.concatenate([[0], np.cumsum(lengths)])
    made = np.empty(int(places[-1]), np.uint8)
    fill(signs, offsets, is_plain, places, made)
    for at, key in others.items():
        made[places[at] : places[at + 1]] = np.frombuffer(key or b"", np.uint8)
    buffers = [None, pa.py_buffer(places.astype(np.int64)), pa.py_buffer(made)]
    return pa.Array.from_buffers(pa.large_binary(), len(texts), buffers)


def _key_of(text: str, locale: str) -> bytes | None:
    """The key of one text; None where it cannot have one."""
    found = b""
    for at, piece in enumerate(natural_key(text, locale)[0]):  # type: ignore[arg-type, var-annotated]
        many, said = piece
        coded = said.encode("utf-8", "surrogatepass")
        if many > MOST_DIGITS or (coded and min(coded) < 2):
            return None
        found += NUMBER + many.to_bytes(2, "big") + coded if at % 2 else coded
    exactly = text.encode("utf-8", "surrogatepass")
    return found + b"\0" + exactly


@cache
def _compiled() -> tuple[Any, Any]:
    """The loops, compiled or loaded from the cache on disk; numba takes as long to load as much of a small render."""
    import numba

    compiled = numba.njit(cache=True, nogil=True)
    return compiled(_measured), compiled(_filled)


def _measured(signs, offsets):  # type: ignore[no-untyped-def]
    """How many bytes the key of each text takes, -1 for one that can have none, and whether it is of plain signs alone."""
    count = len(offsets) - 1
    lengths, is_plain = np.empty(count, np.int64), np.empty(count, np.bool_)
    for at in range(count):
        total, plain, digits, leading = 0, True, 0, False
        for place in range(offsets[at], offsets[at + 1]):
            sign = signs[place]
            if sign < 2:
                total = -1
                break
            if sign > 127:
                plain = False
            if 48 <= sign <= 57:
                if not leading:
                    leading, digits = True, 0
                    total += 3
                if sign != 48 or digits:
                    digits += 1
                    total += 1
                if digits > 65_535:
                    total = -1
                    break
            else:
                leading = False
                total += 1
        lengths[at] = total + 1 + offsets[at + 1] - offsets[at] if total >= 0 else -1
        is_plain[at] = plain
    return lengths, is_plain


def _filled(signs, offsets, is_plain, places, into):  # type: ignore[no-untyped-def]
    """Writes the keys of texts of plain signs: letters in small, numbers led by how many digits they have."""
    for at in range(len(offsets) - 1):
        if not is_plain[at]:
            continue
        put, place, stop = places[at], offsets[at], offsets[at + 1]
        while place < stop:
            sign = signs[place]
            if not 48 <= sign <= 57:
                into[put] = sign + 32 if 65 <= sign <= 90 else sign
                put += 1
                place += 1
                continue
            while place < stop and signs[place] == 48:
                place += 1
            first = place
            while place < stop and 48 <= signs[place] <= 57:
                place += 1
            digits = place - first
            into[put], into[put + 1], into[put + 2] = 1, digits >> 8, digits & 255
            put += 3
            for one in range(first, place):
                into[put] = signs[one]
                put += 1
        into[put] = 0
        put += 1
        for one in range(offsets[at], stop):
            into[put] = signs[one]
            put += 1
