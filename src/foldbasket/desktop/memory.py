"""What the desktop remembers between sittings: recent baskets, to which places the user agreed, and how the window is laid out. Never
their contents."""

from __future__ import annotations

import json
import os
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

from foldbasket.decoding import from_json
from foldbasket.whole import write_whole

if TYPE_CHECKING:
    from foldbasket.styling.styles import Style

MOST_RECENT = 8


def file() -> Path:
    import platformdirs

    return Path(platformdirs.user_state_dir("fold-basket")) / "desktop.json"


def _read() -> dict[str, list[str]]:
    """What is remembered; read again only where the file is another, since views ask at every turn."""
    try:
        found = os.stat(file())
    except OSError:
        return {}
    return _read_once(file(), (found.st_mtime_ns, found.st_size, found.st_ino))


@lru_cache(maxsize=1)
def _read_once(path: Path, state: tuple[int, int, int]) -> dict[str, list[str]]:
    try:
        read = json.loads(path.read_text("utf-8"))
    except (OSError, ValueError):
        return {}
    return (
        {key: [str(item) for item in value] for key, value in read.items() if isinstance(value, list)}
        if isinstance(read, dict)
        else {}
    )


def _write(key: str, values: list[str]) -> None:
    known = _read() | {key: values}
    try:
        file().parent.mkdir(parents=True, exist_ok=True)
        write_whole(file(), json.dumps(known, indent=1).encode())
    except OSError:
        pass  # a home that cannot be written to is no reason to stop work


def recent() -> list[Path]:
    """The baskets opened or saved last, newest first, as far as they still exist."""
    return [path for path in map(Path, _read().get("recent", [])) if os.path.isfile(path)]


def remember(path: Path) -> None:
    """Puts a basket at the head of the recent ones."""
    resolved = os.path.realpath(path)
    _write("recent", [resolved, *(each for each in _read().get("recent", []) if each != resolved)][:MOST_RECENT])


def is_trusted(digest: str) -> bool:
    """Whether the user agreed to a set of places, by their digest, or saved a basket that reads them."""
    return digest in _read().get("agreed", [])


def trust(digest: str) -> None:
    """Keeps that the user agreed to a set of places."""
    _write("agreed", [*(each for each in _read().get("agreed", []) if each != digest), digest][-500:])


def pane(name: str) -> int:
    """The size in pixels that a pane was given last; 0 when it was given none."""
    return next((int(size) for known, _, size in _sizes() if known == name and size.isdecimal()), 0)


def keep_pane(name: str, size: int) -> None:
    """Keeps the size of a pane."""
    _write("panes", [*(each for each in _read().get("panes", []) if not each.startswith(f"{name}=")), f"{name}={size}"])


def _sizes() -> list[tuple[str, str, str]]:
    return [each.partition("=") for each in _read().get("panes", [])]


def is_away(name: str) -> bool:
    """Whether a pane was put away."""
    return name in _read().get("away", [])


def put_away(name: str, away: bool) -> None:
    """Keeps whether a pane is put away."""
    others = [each for each in _read().get("away", []) if each != name]
    _write("away", [*others, name] if away else others)


def styles() -> list[Style]:
    """The styles that were kept for other baskets; those that cannot be read are not there."""
    import msgspec  # the first window is there before this is needed

    from foldbasket.styling.styles import Style

    found = []
    for text in _read().get("styles", []):
        try:
            found.append(from_json(text, Style))
        except msgspec.MsgspecError:
            continue
    return found


def keep_style(style: Style) -> None:
    """Keeps a style for other baskets, in place of the one of its key."""
    import msgspec

    others = [each for each in styles() if each.key != style.key]
    _write("styles", [msgspec.json.encode(each).decode() for each in (*others, style)])


def forget_style(key: str) -> None:
    """Keeps a style no longer."""
    import msgspec

    _write("styles", [msgspec.json.encode(each).decode() for each in styles() if each.key != key])


def chosen(name: str, usual: str = "") -> str:
    """What was chosen once for a setting of one value; the usual where nothing was."""
    return next(iter(_read().get(name, [])), usual)


def choose(name: str, value: str) -> None:
    """Keeps what was chosen for a setting; empty lets the usual hold again."""
    _write(name, [value] if value else [])


APPEARANCES = {
    "desktop": "as the desktop has it",
    "light": "light",
    "dark": "dark",
    "strong": "light, high contrast",
    "strong dark": "dark, high contrast",
}
"""How the window can look, in words."""


def appearance() -> str:
    """How the window looks, of `APPEARANCES`."""
    found = chosen("appearance")
    return found if found in APPEARANCES else "desktop"


def keep_appearance(appearance: str) -> None:
    """Keeps it."""
    choose("appearance", appearance)


TYPE_SIZES = (80, 90, 100, 115, 130, 150, 175, 200)
"""How large everything in the window can be, in percent."""


def type_size() -> int:
    """The chosen size of everything in the window, in percent."""
    found = chosen("type")
    return int(found) if found.isdecimal() and int(found) in TYPE_SIZES else 100


def keep_type_size(percent: int) -> None:
    """Keeps it; it holds from the next start on."""
    choose("type", str(percent))
