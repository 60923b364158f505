"""The part of requirements.lock that the program needs at run time, with its hashes: what its own dependencies ask for, and theirs."""

import re
from importlib.metadata import distribution
from pathlib import Path

from packaging.requirements import Requirement

LOCK = Path(__file__).parents[1] / "requirements.lock"


def plain(name: str) -> str:
    """A name as all spellings of it are one."""
    return re.sub(r"[-_.]+", "-", name).lower()


def needed(name: str, extras: frozenset[str], found: set[str]) -> None:
    """Adds what a distribution asks for on this machine, and all that follows."""
    for line in distribution(name).requires or ():
        asked = Requirement(line)
        if asked.marker is not None and not any(asked.marker.evaluate({"extra": extra}) for extra in (*extras, "")):
            continue
        if plain(asked.name) not in found:
            found.add(plain(asked.name))
            needed(asked.name, frozenset(asked.extras), found)


def main() -> None:
    """Prints the blocks of the lock."""
    found: set[str] = set()
    needed("foldbasket", frozenset({"cluster"}), found)
    blocks = re.split(r"\n(?=[A-Za-z0-9])", LOCK.read_text("utf-8"))
    locked = {plain(match[1]): block for block in blocks if (match := re.match(r"([\w.\-]+)(\[[^\]]*\])?==", block))}
    missing = found - set(locked)
    if missing:
        raise SystemExit(f"not in requirements.lock: {', '.join(sorted(missing))}")
    print("\n".join(locked[name] for name in sorted(found)))


if __name__ == "__main__":
    main()
