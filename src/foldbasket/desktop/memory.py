"""What the desktop remembers between sittings: recent baskets, and which baskets the user trusts. Never their contents."""

from __future__ import annotations

import json
from pathlib import Path

MOST_RECENT = 8


def _file() -> Path:
    import platformdirs

    return Path(platformdirs.user_state_dir("fold-basket")) / "desktop.json"


def _read() -> dict[str, list[str]]:
    try:
        read = json.loads(_file().read_text("utf-8"))
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
        _file().parent.mkdir(parents=True, exist_ok=True)
        _file().write_text(json.dumps(known, indent=1), "utf-8")
    except OSError:
        pass  # a home that cannot be written to is no reason to stop work


def recent() -> list[Path]:
    """The baskets opened or saved last, newest first, as far as they still exist."""
    return [path for path in map(Path, _read().get("recent", [])) if path.exists()]


def remember(path: Path) -> None:
    """Puts a basket at the head of the recent ones."""
    resolved = str(path.resolve())
    _write("recent", [resolved, *(each for each in _read().get("recent", []) if each != resolved)][:MOST_RECENT])


def is_trusted(path: Path) -> bool:
    """Whether the user saved this basket here or agreed that it reads files elsewhere."""
    return str(path.resolve()) in _read().get("trusted", [])


def trust(path: Path) -> None:
    """Lets a basket read the files it names."""
    resolved = str(path.resolve())
    _write("trusted", [*(each for each in _read().get("trusted", []) if each != resolved), resolved][-500:])
