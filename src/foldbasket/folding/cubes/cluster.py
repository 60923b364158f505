"""Cubes made on a cluster of `dask.distributed`: each worker folds its share of the files by the same code, and the cubes are put together in a tree.

The scheduler and the workers are an engine of others, which makes up for a worker that is lost. Workers must reach the files at the same
paths, and run the same version. Whoever may send work to a cluster may do there what its workers may, so only encrypted connections with certificates
are used, on this machine too (`cluster_access.py`).
"""

from __future__ import annotations

import contextlib
import os
import platform
import signal
import threading
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Any
from urllib.parse import urlsplit

import msgspec
import numpy as np
import pyarrow as pa

from foldbasket import __version__
from foldbasket.errors import FoldBasketError, FoldError
from foldbasket.folding.cubes.cluster_access import Where, published, security_of
from foldbasket.folding.cubes.cube import Cube
from foldbasket.folding.cubes.merging import merged
from foldbasket.folding.cubes.streamed import Expressions, StreamedMaker
from foldbasket.folding.plan.plan import Plan
from foldbasket.links.link import Link
from foldbasket.links.source import Source
from foldbasket.spec.field import Shared
from foldbasket.styling.dates import Fiscal
from foldbasket.tables.column import Column, picked
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.parquet import first_line
from foldbasket.tables.table import Table
from foldbasket.tables.unread import Stream

LOOK = 0.1
"""Seconds between two looks at what is done."""
A_WORKER = 4
"""So many pieces of work for each worker, so that a slow one holds up little."""
WAIT = 10.0
"""Seconds for a scheduler to answer."""
COMING = 60.0
"""Seconds for a first worker to come."""


class Job(msgspec.Struct, frozen=True, eq=False):
    """What every worker is told once: the plan, the tables that links lead to, and the record expressions."""

    plan: Plan
    name: str
    tables: Mapping[str, Table]
    links: Sequence[Link]
    shared: Sequence[Shared]
    fiscal: Fiscal
    locale: str
    expressions: Expressions = msgspec.field(default_factory=dict)


def folded(job: Job, stream: Stream, held: Mapping[str, Column]) -> Cube:
    """The cube of a share of the records, on a worker. `held` are columns of the share that do not come from its files."""
    base = Table(job.name, dict(held))
    source = Source({**job.tables, job.plan.base: base}, job.links, job.shared, job.fiscal)
    return StreamedMaker(source, job.locale, Counter(), spills=False).cube(
        job.plan, stream, job.expressions, Progress()
    )


def _together(one: Cube, two: Cube) -> Cube:
    return merged(one, two, Progress())


def versions() -> dict[str, str]:
    """What must be the same on every machine."""
    return {
        "Fold Basket": __version__,
        "Python": ".".join(platform.python_version_tuple()[:2]),
        "NumPy": np.__version__,
        "pyarrow": pa.__version__,
    }


class Cluster:
    """A connection to a scheduler. Raises FoldError where there is none, or where a worker runs another version."""

    def __init__(self, where: Where) -> None:
        self.where = where.secured()
        self._own: Any = None
        self._client = self._connected()
        try:
            self._await_workers()
            self._check_versions()
        except BaseException:
            self.close()
            raise

    def _connected(self) -> Any:
        try:
            from distributed import Client, LocalCluster
        except ImportError:
            raise _not_installed() from None
        where = self.where
        try:
            if where.is_own:
                many = where.address.partition(":")[2] or "2"
                with _uninterrupted():
                    self._own = LocalCluster(
                        n_workers=int(many), threads_per_worker=1, processes=True, **_private(where)
                    )
                return Client(self._own, timeout=WAIT)
            return Client(where.address, security=security_of(where), timeout=WAIT)
        except (OSError, ValueError, TypeError, RuntimeError) as error:
            raise FoldError(
                f"there is no cluster at {where.address} that can be reached ({first_line(error)}).",
                todo="Is it started, and are the certificates those it knows? See fold-basket cluster --help.",
            ) from None

    def _await_workers(self) -> None:
        """Until there is a worker: those just started, or started again, take a moment. Raises FoldError where none comes."""
        if self.workers:
            return
        try:
            self._client.wait_for_workers(1, timeout=COMING)
        except TimeoutError:
            raise FoldError(f"the cluster at {self.where.address} has no workers.", todo="Start some.") from None

    def _check_versions(self) -> None:
        mine = versions()
        for worker, theirs in self._client.run(versions).items():
            for what, version in mine.items():
                if theirs.get(what) != version:
                    raise FoldError(
                        f"the worker at {worker} runs {what} {theirs.get(what)}, and this machine {version}.",
                        todo="Install the same version everywhere.",
                    )

    @property
    def workers(self) -> int:
        """How many workers there are."""
        return len(self._client.scheduler_info(n_workers=-1)["workers"])

    @property
    def address(self) -> str:
        """Where others reach the scheduler."""
        return str(self._client.scheduler.address)

    def processes(self) -> list[int]:
        """The numbers of the workers' processes, each on its own machine."""
        return list(self._client.run(os.getpid).values())

    def close(self) -> None:
        """Leaves the cluster; one of our own ends."""
        with contextlib.suppress(Exception):
            self._client.close(timeout=2)
        if self._own is not None:
            with contextlib.suppress(Exception):
                self._own.close(timeout=2)

    def cube(self, job: Job, stream: Stream, held: Mapping[str, Column], progress: Progress) -> Cube:
        """The cube of a plan over all records of a stream that can be divided. Raises FoldBasketError, Cancelled."""
        from distributed.client import FutureCancelledError

        started: list[Any] = []
        try:
            self._await_workers()
            told = self._client.scatter(job, broadcast=True, hash=False)
            shares = list(_shares(stream, held, self.workers * A_WORKER))
            waiting = [self._client.submit(folded, told, *share, pure=False) for share in shares]
            started += waiting
            self._wait(waiting, progress)
            while len(waiting) > 1:
                pairs = list(zip(waiting[::2], waiting[1::2], strict=False))
                rest = waiting[2 * len(pairs) :]
                waiting = [self._client.submit(_together, *pair, pure=False) for pair in pairs] + rest
                started += waiting
            self._wait(waiting, progress)
            made: Cube = waiting[0].result()
            return made
        except FoldBasketError:
            raise
        except (OSError, TimeoutError, FutureCancelledError, RuntimeError) as error:
            kind = type(error).__name__
            raise FoldError(
                f"the cluster at {self.where.address} did not finish ({kind}: {first_line(error)}).",
                todo="Is its scheduler running, and do its workers reach the files? Fold it here, or try again.",
            ) from None
        finally:
            with contextlib.suppress(Exception):
                self._client.cancel(started, force=True)

    def _wait(self, futures: Sequence[Any], progress: Progress) -> None:
        """Until all are done, or one has failed, whose error is raised."""
        from distributed import wait

        while True:
            done = [each for each in futures if each.done()]
            for each in done:
                if each.status in ("error", "cancelled", "lost"):
                    each.result()
            progress.step("Folding on the cluster", len(done) / max(1, len(futures)))
            if len(done) == len(futures):
                return
            if self._client.status not in ("running", "connecting"):
                raise OSError("the connection to its scheduler is gone")
            with contextlib.suppress(TimeoutError):
                wait([each for each in futures if not each.done()], timeout=LOOK, return_when="FIRST_COMPLETED")


@contextlib.contextmanager
def started(where: Where, workers: int) -> Iterator[str]:
    """A scheduler and so many workers on this machine, at an address; gives the address that others reach it by. Raises FoldError."""
    if not where.is_on_this_machine:
        where = where.secured()
    try:
        from distributed import LocalCluster
    except ImportError:
        raise _not_installed() from None
    host, _, port = where.address.rpartition(":")
    private = _private(where)
    try:
        with _uninterrupted():
            own = LocalCluster(
                n_workers=workers, threads_per_worker=1, processes=True, host=host, scheduler_port=int(port), **private
            )
    except (OSError, ValueError, RuntimeError) as error:
        raise FoldError(
            f"no cluster can be started at {where.address} ({first_line(error)}).", todo="Take another port."
        ) from None
    try:
        address = str(own.scheduler_address)
        is_throwaway = not where.has_certificates
        with published(private["security"], urlsplit(address).port or 0) if is_throwaway else contextlib.nullcontext():
            yield address
    finally:
        own.close(timeout=2)


@contextlib.contextmanager
def _uninterrupted() -> Iterator[None]:
    """Processes begun within it do not heed Ctrl+C in the terminal, which the program itself ends them on."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    before = signal.signal(signal.SIGINT, signal.SIG_IGN)
    try:
        yield
    finally:
        signal.signal(signal.SIGINT, before)


def _private(where: Where) -> dict[str, Any]:
    """Settings for a cluster of our own: its pages in a browser tell nothing, and nobody without its certificate reaches it."""
    import dask

    dask.config.set({"distributed.scheduler.http.routes": [], "distributed.worker.http.routes": []})
    return {
        "dashboard_address": "127.0.0.1:0",
        "worker_dashboard_address": "127.0.0.1:0",
        "security": security_of(where),
        "protocol": "tls://",
    }


def _not_installed() -> FoldError:
    return FoldError(
        "folding on a cluster needs the package distributed.", todo="Install it: pip install fold-basket[cluster]."
    )


def _shares(stream: Stream, held: Mapping[str, Column], many: int) -> Iterator[tuple[Stream, dict[str, Column]]]:
    """A stream divided among workers, each part with its own records of the columns that are held."""
    start = 0
    for part in stream.divided(many):
        at = np.arange(start, start + part.count)
        yield part, {name: picked(column, at) for name, column in held.items()}
        start += part.count
