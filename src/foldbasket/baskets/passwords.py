"""Passwords of database servers: typed in this session, from the environment, or from the desktop's keyring; never in a basket."""

from __future__ import annotations

import contextlib
import os

from foldbasket.tables.reading.database import Server

VARIABLE = "FOLD_BASKET_PASSWORD"
"""The environment variable that holds the password, or with the host behind it (``FOLD_BASKET_PASSWORD_DB_EXAMPLE``) that of one host."""

_typed: dict[Server, str] = {}


def password_of(server: Server) -> str | None:
    """The password for a server, or None when nobody has told it."""
    if server in _typed:
        return _typed[server]
    for variable in _variables(server):
        if variable in os.environ:
            return os.environ[variable]
    with contextlib.suppress(Exception):  # a desktop without a keyring service has none to tell
        import keyring

        return keyring.get_password(_service(server), server.user)
    return None


def is_told_by_environment(server: Server) -> bool:
    """Whether the environment holds a password that would be sent to a server."""
    return any(variable in os.environ for variable in _variables(server))


def _variables(server: Server) -> tuple[str, str]:
    return f"{VARIABLE}_" + "".join(sign if sign.isalnum() else "_" for sign in server.host.upper()), VARIABLE


def remember(server: Server, password: str, *, keep: bool = False) -> bool:
    """Uses a password for the rest of the session; `keep` puts it into the desktop's keyring too. Says whether that could be."""
    _typed[server] = password
    if not keep:
        return True
    with contextlib.suppress(Exception):
        import keyring

        keyring.set_password(_service(server), server.user, password)
        return True
    return False


def forget() -> None:
    """Forgets what was typed in this session."""
    _typed.clear()


def _service(server: Server) -> str:
    return f"Fold Basket: {server.label}"
