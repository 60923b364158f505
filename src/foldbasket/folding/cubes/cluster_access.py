"""Where a cluster is, and the certificates without which nobody reaches it.

Whoever can reach a scheduler or a worker runs code as its owner, on this machine too, where every other account reaches the same ports. So each connection is
encrypted and shows a certificate on both sides: given ones, or on this machine throw-away ones that only their owner may read.
"""

from __future__ import annotations

import contextlib
import os
import socket
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import SplitResult, urlsplit

import msgspec

from foldbasket.errors import FoldError

LOOPBACK = ("localhost", "127.0.0.1", "::1")


class Where(msgspec.Struct, frozen=True):
    """A cluster: `local` or `local:N` for N workers on this machine, or the address of a scheduler; and the files of the certificates to show there."""

    address: str
    ca: str = ""
    certificate: str = ""
    key: str = ""

    @property
    def is_own(self) -> bool:
        """Whether it is started here for the purpose."""
        return self.address == "local" or self.address.startswith("local:")

    @property
    def is_on_this_machine(self) -> bool:
        """Whether it is reached by this machine alone."""
        return self.is_own or (self._parts.hostname or "") in LOOPBACK

    @property
    def has_certificates(self) -> bool:
        """Whether all three files are given."""
        return all((self.ca, self.certificate, self.key))

    @property
    def _parts(self) -> SplitResult:
        return urlsplit(self.address if "//" in self.address else f"tcp://{self.address}")

    def secured(self) -> Where:
        """The same with the certificates to show; of a cluster that this user has started on this machine its throw-away ones. Raises FoldError where there
        are none."""
        if self.is_own or self.has_certificates:
            return self
        if not self.is_on_this_machine:
            raise FoldError(
                f"the cluster at {self.address} is beyond this machine, and no certificates were given.",
                todo="Give --cluster-ca, --cluster-cert and --cluster-key, and a scheduler at tls://….",
            )
        certificate, key = throwaway_files(self._parts.port or 8786)
        if not (certificate.exists() and key.exists()):
            raise FoldError(
                f"you have not started the cluster at {self.address}, so it is not trusted.",
                todo="Start one with: fold-basket cluster. For a cluster of another account, give --cluster-ca, --cluster-cert and --cluster-key.",
            )
        host = f"[{self._parts.hostname}]" if ":" in (self._parts.hostname or "") else self._parts.hostname
        return Where(f"tls://{host}:{self._parts.port or 8786}", str(certificate), str(certificate), str(key))


def throwaway_files(port: int) -> tuple[Path, Path]:
    """Where the certificate and the key of a cluster of this user's on this machine are, by its port."""
    import platformdirs

    folder = Path(platformdirs.user_state_dir("fold-basket")) / "cluster"
    return folder / f"{port}.pem", folder / f"{port}.key"


def _clear_left(folder: Path) -> None:
    """Delete the files of clusters that were killed: nobody listens at their ports."""
    for file in folder.glob("*.*"):
        with contextlib.suppress(OSError, ValueError), socket.socket() as asked:
            asked.settimeout(1.0)
            if asked.connect_ex(("127.0.0.1", int(file.stem))):
                file.unlink()


@contextlib.contextmanager
def published(security: Any, port: int) -> Iterator[None]:
    """Within it the throw-away certificate of a cluster can be found by programs of the same user, and by nobody else. Raises OSError."""
    files = throwaway_files(port)
    files[0].parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    os.chmod(files[0].parent, 0o700)
    _clear_left(files[0].parent)
    try:
        for file, text in zip(files, (security.tls_ca_file, security.tls_client_key), strict=True):
            file.unlink(missing_ok=True)
            with open(file, "w", opener=lambda path, flags: os.open(path, flags | os.O_EXCL, 0o600)) as opened:
                opened.write(text)
        yield
    finally:
        for file in files:
            file.unlink(missing_ok=True)


def security_of(where: Where) -> Any:
    """What a connection shows and asks for, by given certificates; without them, throw-away ones. Raises FoldError where they cannot be made."""
    from distributed import Security

    if not where.has_certificates:
        try:
            return Security.temporary()
        except ImportError:
            raise FoldError(
                "a cluster without certificates of its own needs the package cryptography.",
                todo="Install it: pip install fold-basket[cluster].",
            ) from None
    own = {
        f"tls_{role}_{what}": value
        for role in ("client", "scheduler", "worker")
        for what, value in (("cert", where.certificate), ("key", where.key))
    }
    return Security(tls_ca_file=where.ca, require_encryption=True, **own)
