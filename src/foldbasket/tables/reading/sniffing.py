"""What a delimited file looks like: encoding, delimiter, decimal mark, header and the likely type of each column.

Works on samples: the first part of the file, and for types a few blocks spread over the rest. What it finds is a
proposal: the reader checks every value against it, and the user can correct it.
"""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

import msgspec

from foldbasket.errors import ReadError
from foldbasket.tables.types import MAX_SCALE, FieldType
from foldbasket.tables.written import MAX_DIGITS

HEAD_BYTES = 128 * 1024
LEAST_LINES, MOST_HEAD = 20, 16 << 20
"""The sample grows until it holds so many lines, or so many bytes."""
SPREAD_BLOCKS = 8
SPREAD_BYTES = 8 * 1024
TITLES = 20
"""Title lines that may stand above a header."""
DELIMITERS = (",", ";", "\t", "|")
csv.field_size_limit(1 << 30)

_WESTERN = re.compile(r"[A-Za-zÀ-ÖØ-öø-ÿŒœŠšŽžŸ€£¥§°«»‘’‚“”„–—…·±²³µ¼½¾ºª¿¡©®™\x00-\x7f\xa0]*")
_WHOLE = re.compile(r"[+-]?\d+")
_REAL = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?")
_DATE = re.compile(r"\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])")
_MOMENT = re.compile(r"\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])[ T]([01]\d|2[0-3]):[0-5]\d(:[0-5]\d(\.\d{1,6})?)?")
_CODE = re.compile(r"[+-]?0\d")


class ColumnType(msgspec.Struct, frozen=True):
    """A type and, for decimals, the number of fraction digits."""

    type: FieldType
    scale: int = 0


class Look(msgspec.Struct, frozen=True):
    """What a file looks like. `header_chars` characters (BOM not counted) come before the first record; `titles` lines stand above the header."""

    encoding: str
    delimiter: str
    decimal_mark: str
    names: tuple[str, ...]
    types: tuple[ColumnType | None, ...]
    header_chars: int
    header_bytes: int
    titles: int = 0

    @property
    def is_utf8(self) -> bool:
        """Whether the bytes can be handed on as they are."""
        return self.encoding in ("utf-8", "ascii")


def _fitting(text: str, decimal_mark: str) -> tuple[set[FieldType], int, int]:
    """The types that a text fits, and how many digits it has before and behind the mark where it is an exact number."""
    if _REAL.fullmatch(text) and ("," if decimal_mark == "." else ".") not in text and not _CODE.match(text):
        bare = text.lstrip("+-")
        if _WHOLE.fullmatch(text):
            exact = {FieldType.WHOLE, FieldType.DECIMAL, FieldType.REAL}
            return (exact, len(bare), 0) if len(bare) <= MAX_DIGITS else (set(), 0, 0)
        if "e" not in text and "E" not in text:
            head, _, tail = bare.partition(decimal_mark)
            if len(tail) <= MAX_SCALE:
                return {FieldType.DECIMAL, FieldType.REAL}, len(head), len(tail)
        return {FieldType.REAL}, 0, 0
    if _DATE.fullmatch(text):
        return {FieldType.DATE}, 0, 0
    if _MOMENT.fullmatch(text):
        return {FieldType.TIMESTAMP}, 0, 0
    return ({FieldType.YESNO} if text.lower() in ("true", "false") else set()), 0, 0


def type_of(values: Iterable[str], decimal_mark: str = ".") -> ColumnType | None:
    """The narrowest type that every given non-blank text fits; None when there is no value to judge by."""
    seen = False
    kinds = {FieldType.WHOLE, FieldType.DECIMAL, FieldType.REAL, FieldType.DATE, FieldType.TIMESTAMP, FieldType.YESNO}
    scale = digits_before = 0
    for value in dict.fromkeys(values):  # what occurs often is looked at once
        text = value.strip()
        if not text:
            continue
        seen = True
        fits, whole, decimal = _fitting(text, decimal_mark)
        digits_before, scale = max(digits_before, whole), max(scale, decimal)
        kinds &= fits
        if not kinds:
            return ColumnType(FieldType.TEXT)
    if not seen:
        return None
    if digits_before + scale > MAX_DIGITS:  # beyond the exact range once all have the same scale
        kinds -= {FieldType.WHOLE, FieldType.DECIMAL} if scale else {FieldType.DECIMAL}
    for kind in (FieldType.WHOLE, FieldType.DECIMAL, FieldType.REAL, FieldType.DATE, FieldType.TIMESTAMP):
        if kind in kinds:
            return ColumnType(kind, scale if kind is FieldType.DECIMAL else 0)
    return ColumnType(FieldType.YESNO)


def field_names(header: Sequence[str]) -> tuple[str, ...]:
    """Names for the columns: trimmed, an empty one called “Column n”, a repeated one numbered “Net (2)”."""
    names: list[str] = []
    taken: set[str] = set()
    for at, raw in enumerate(header, 1):
        name = " ".join(raw.split()) or f"Column {at}"
        unique, n = name, 2
        while unique in taken:
            unique, n = f"{name} ({n})", n + 1
        taken.add(unique)
        names.append(unique)
    return tuple(names)


def header_line(rows: Sequence[Sequence[object]]) -> int:
    """The row that names the fields, counted from 0: the first that is about as wide as most, below any title lines."""
    widths = [sum(cell is not None and str(cell).strip() != "" for cell in row) for row in rows]
    spans = Counter(len(row) for row in rows)
    if not rows or max(widths) < 2:
        return 0
    usual = sorted(widths)[len(widths) * 3 // 4]
    span = max(spans, key=lambda each: (spans[each], each))
    for at, row in enumerate(rows[:TITLES]):
        if widths[at] >= max(2, 0.6 * usual) and (len(row) == span or len(rows) < 3):
            return at
    return 0


def look_at(
    path: Path,
    *,
    encoding: str | None = None,
    delimiter: str | None = None,
    decimal_mark: str | None = None,
    header: int | None = None,
) -> Look:
    """What the file at `path` looks like; what the caller gives is taken as given. Raises ReadError when it is no such file."""
    with path.open("rb") as file:
        head = file.read(HEAD_BYTES)
        while head.count(b"\n") < LEAST_LINES and len(head) < MOST_HEAD and (more := file.read(len(head))):
            head += more  # lines so long that few of them fit, as in a file with thousands of fields
        size = path.stat().st_size
        if not head:
            raise ReadError(
                "the file is empty.", where=path.name, todo="Export it again, with a header line and its records."
            )
        encoding, bom = _encoding(path, head, encoding)
        text = _decode(head, encoding, path, whole=size <= len(head))
        if not text.strip():
            raise ReadError("the file holds nothing but blank lines.", where=path.name, todo="Export it again.")
        if size > len(head):  # drop the record that the sample cuts
            text = text[: text.rfind("\n") + 1] or text
        delimiter = delimiter or _delimiter(text)
        read = list(_records(text, delimiter))
        at = header_line([row for _, row, _ in read[:200]]) if header is None else _chosen_line(read, header, path)
        header_chars, first, line = read[at] if at >= 0 else (0, [""] * len(read[0][1]), 0)
        names = field_names(first)
        rows = [row for _, row, _ in read[at + 1 :]]
        for block in _spread(file, size, encoding):
            rows += [row for _, row, _ in _records(block, delimiter) if len(row) == len(names)]
    decimal_mark = decimal_mark or _decimal_mark(rows, delimiter)
    columns: list[list[str]] = [[] for _ in names]
    for row in rows:
        for column, value in zip(columns, row, strict=False):
            column.append(value)
    return Look(
        encoding=encoding,
        delimiter=delimiter,
        decimal_mark=decimal_mark,
        names=names,
        types=tuple(type_of(values, decimal_mark) for values in columns),
        header_chars=header_chars,
        header_bytes=bom
        + len(text[:header_chars].encode(encoding if bom == 0 or encoding == "utf-8" else "utf-16-le")),
        titles=max(0, line - 1),
    )


def _chosen_line(read: Sequence[tuple[int, list[str], int]], header: int, path: Path) -> int:
    if header == 0:
        return -1
    for at, (_, _, line) in enumerate(read):
        if line >= header:
            return at
    raise ReadError(f"there is no line {header} to name the fields.", where=path.name, todo="Choose an earlier line.")


def _encoding(path: Path, head: bytes, wanted: str | None) -> tuple[str, int]:
    """Encoding and length of the byte order mark."""
    for mark, name in ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16")):
        if head.startswith(mark) and (wanted is None or wanted.replace("-sig", "") == name):
            return name, len(mark)
    if wanted is not None:
        try:
            return codecs.lookup(wanted).name, 0
        except LookupError:
            raise ReadError(
                f"there is no encoding called “{wanted}”.", where=path.name, todo="Try utf-8, cp1252 or utf-16."
            ) from None
    if head.startswith(b"PK\x03\x04"):
        raise ReadError(
            "this is a workbook or another kind of archive, not delimited text.",
            where=path.name,
            todo="Save the sheet as CSV and open that.",
        )
    zeros = head.count(0)
    if zeros:
        if zeros > len(head) // 3 and len(head) > 3:
            return ("utf-16-le" if head[1::2].count(0) > head[::2].count(0) else "utf-16-be"), 0
        raise _not_text(path)
    controls = sum(head.count(code) for code in range(32) if code not in (9, 10, 12, 13, 26))
    if controls * 50 > len(head):
        raise _not_text(path)
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head)
        return "utf-8", 0
    except UnicodeDecodeError:
        return single_byte_encoding(head), 0


def single_byte_encoding(sample: bytes) -> str:
    """The likely encoding of text that is not UTF-8: Western where every character makes sense as such, else the best guess."""
    try:
        if _WESTERN.fullmatch(sample.decode("cp1252")):
            return "cp1252"
    except UnicodeDecodeError:
        pass
    import charset_normalizer

    best = charset_normalizer.from_bytes(sample).best()
    return best.encoding if best is not None else "latin-1"


def _not_text(path: Path) -> ReadError:
    return ReadError(
        "this is not a text file.",
        where=path.name,
        todo="Open a CSV or TSV export, or choose the encoding if it is one.",
    )


def _decode(data: bytes, encoding: str, path: Path, whole: bool) -> str:
    try:
        return codecs.getincrementaldecoder(encoding)().decode(data, whole).removeprefix("\ufeff")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise wrong_encoding(path, encoding, line) from None


def wrong_encoding(path: Path, encoding: str, line: int | None) -> ReadError:
    """The error for bytes that are not text in the encoding in use."""
    where = f"{path.name}, line {line}" if line else path.name
    return ReadError(
        f"some bytes are not {encoding} text.", where=where, todo="Choose another encoding, such as cp1252."
    )


def _records(text: str, delimiter: str) -> Iterator[tuple[int, list[str], int]]:
    """Each record that is not empty, between the number of characters up to its end and the line it ends on."""
    consumed = number = 0

    def lines() -> Iterator[str]:
        nonlocal consumed, number
        for line in io.StringIO(text, newline=""):
            consumed += len(line)
            number += 1
            yield line

    try:
        for row in csv.reader(lines(), delimiter=delimiter):
            if row:
                yield consumed, row, number
    except csv.Error:
        return


def _delimiter(text: str) -> str:
    best, best_score = ",", (0.0, 0)
    for candidate in DELIMITERS:
        counts: Counter[int] = Counter()
        for at, (_, row, _) in enumerate(_records(text, candidate)):
            counts[len(row)] += 1
            if at == 200:
                break
        width, agreeing = counts.most_common(1)[0]
        score = (agreeing / counts.total(), width)
        if width > 1 and score > best_score:
            best, best_score = candidate, score
    return best


def _decimal_mark(rows: Sequence[Sequence[str]], delimiter: str) -> str:
    commas = points = 0
    for row in rows[:2000]:
        for value in row:
            if "," in value and re.fullmatch(r"\s*[+-]?\d+,\d+\s*", value):
                commas += 1
            elif "." in value and re.fullmatch(r"\s*[+-]?\d+\.\d+\s*", value):
                points += 1
    return "," if commas > points else "."


def _spread(file: io.BufferedReader, size: int, encoding: str) -> Iterable[str]:
    """Blocks of whole lines from places spread over a large file, for judging types. UTF-16 is left to the head."""
    if size <= 2 * HEAD_BYTES or encoding.startswith("utf-16"):
        return
    for block in range(1, SPREAD_BLOCKS + 1):
        file.seek(max(HEAD_BYTES, (size - SPREAD_BYTES) * block // SPREAD_BLOCKS))
        data = file.read(SPREAD_BYTES)
        start, stop = data.find(b"\n") + 1, data.rfind(b"\n")
        yield data[start:stop].decode(encoding, "replace")
