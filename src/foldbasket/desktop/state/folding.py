"""The report in view: folded anew in the background whenever it would be another, and proved cell by cell."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.baskets.basket import Basket
from foldbasket.desktop.state.answers import Answers
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import FoldBasketError
from foldbasket.folding.cubes.cluster import Cluster
from foldbasket.folding.cubes.cluster_access import Where
from foldbasket.folding.cubes.cube import Cube
from foldbasket.folding.engine import Engine
from foldbasket.folding.listed import Records, Wanted, list_records, usual_fields
from foldbasket.folding.proof import Proof, proof_of
from foldbasket.folding.report.report import Report
from foldbasket.kept import Kept
from foldbasket.links.source import Source
from foldbasket.spec.fold import Fold
from foldbasket.tables.progress import Progress


class Proved(NamedTuple):
    """A cell of a report, its proof, and the first of its records. All from the source that the report was made of."""

    report: Report
    row: int
    column: int
    proof: Proof
    records: Records


class Folding(QObject):
    """The engine over the tables in use, and the report that it made last. `changed` says that there is another report, or none; `joined`
    that records are folded on a cluster from now on, or no more: how many bytes of a table are to be held here; `told` what is being done and how far it is."""

    told = pyqtSignal(str, float)
    changed = pyqtSignal()
    joined = pyqtSignal(object)
    proved = pyqtSignal(object)
    failed = pyqtSignal(object)

    def __init__(self, source: Source, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.engine = Engine(source)
        self.report: Report | None = None
        self.problem: FoldBasketError | None = None
        self._basket = Basket()
        self._asked: Fold | None = None
        """The fold that was asked for last, as it looks by now."""
        self._made_of: tuple[Fold, Engine] | None = None
        """The fold that the report in view was made of, and by what."""
        self.worker = Worker("fold", self)
        self.worker.finished.connect(self._folded)
        self.worker.failed.connect(self._not_folded)
        self._kept: Kept[Cube] = Kept(16)
        self.cluster: Cluster | None = None
        """Where what can come as a stream is folded, if not here."""
        self._joiner = Worker("join", self)
        self._joiner.finished.connect(self._has_joined)
        self._joiner.failed.connect(self.failed)
        self._prover = Worker("prove", self)
        self._prover.finished.connect(self.proved)
        self._prover.failed.connect(self.failed)
        self._workers = (self.worker, self._joiner, self._prover)
        for worker in self._workers:
            worker.told.connect(self.told)
        self.answers = Answers(self)
        """The counts of pickers and filters."""

    @property
    def busy(self) -> bool:
        return any(worker.busy for worker in self._workers) or self.answers.busy

    @property
    def is_proving(self) -> bool:
        """Whether a proof is being worked out."""
        return self._prover.busy

    def cancel(self) -> None:
        """Stops what is being folded or proved."""
        for worker in self._workers:
            worker.cancel()

    def close(self) -> None:
        for worker in self._workers:
            worker.close()
        self.answers.close()
        self._leave()

    def renew_engine(self, source: Source, basket: Basket) -> bool:
        """A new engine where tables, links or the way numbers are written are others; says whether one was needed."""
        now = (basket.locale, basket.currency, basket.as_of, self.cluster)
        was = (self.engine.locale, self.engine.currency, self.engine.as_of, self.engine.elsewhere.cluster)
        if self.engine.source is source and was == now:
            return False
        self.engine = self.another(source, basket)
        return True

    def another(self, source: Source, basket: Basket) -> Engine:
        """An engine over tables and links that need not be those in use; what is folded part by part is kept for all of them."""
        return Engine(
            source,
            locale=basket.locale,
            currency=basket.currency,
            as_of=basket.as_of,
            cluster=self.cluster,
            kept=self._kept,
        )

    def join(self, where: Where | None) -> None:
        """Folds on a cluster from now on, connected to in the background; None: here again."""
        self._joiner.start(lambda _: Cluster(where) if where is not None else None)

    def _has_joined(self, cluster: Cluster | None) -> None:
        self._leave()
        self.cluster = cluster
        self.joined.emit(None if cluster is None else 0)

    def _leave(self) -> None:
        if self.cluster is not None:
            self.cluster.close()
            self.cluster = None

    def forget(self) -> None:
        """Lets the report go, since another fold comes into view."""
        self.report = None

    def can(self, fold: Fold | None) -> bool:
        """Whether there is anything to fold."""
        return fold is not None and not fold.is_empty and bool(self.engine.source.tables)

    def fold(self, fold: Fold | None) -> None:
        """Folds anew in the background; the report in view stays until the new one is there."""
        self.problem = None
        if fold is None or not self.can(fold):
            self.worker.cancel()
            self.report = None
            self.changed.emit()
            return
        engine = self.engine
        self._asked = fold

        def work(progress: Progress) -> tuple[Report, Fold, Engine]:
            report = engine.fold(fold, progress)
            _ = report.rows.longest  # the window measures them
            return report, fold, engine

        self.worker.start(work)

    def wear(self, fold: Fold | None, basket: Basket) -> None:
        """Gives the report in view the present look of its fold; one that is still being made will have it, too."""
        self._basket = basket
        if fold is None:
            return
        if self._asked is not None and fold.asks_as(self._asked):
            self._asked = fold
        if self.report is not None and self._made_of is not None and fold.asks_as(self._made_of[0]):
            self.report = basket.worn(self.report, fold)

    def _folded(self, made: tuple[Report, Fold, Engine]) -> None:
        report, fold, engine = made
        self.report = self._basket.worn(report, self._asked or fold)
        self._made_of = (fold, engine)
        self.problem = None
        self.changed.emit()

    def _not_folded(self, error: FoldBasketError) -> None:
        self.report = None
        self.problem = error
        self.changed.emit()

    def stop_proving(self) -> None:
        """Gives up the proof that is being worked out."""
        self._prover.cancel()

    def prove(self, row: int, column: int) -> bool:
        """Proves a cell of the report in view in the background; says whether there is one. `proved` brings it."""
        if self.report is None or self._made_of is None:
            return False
        report, (fold, engine) = self.report, self._made_of  # the fold in view may be another by now

        def prove(progress: Progress) -> Proved:
            proof = proof_of(engine, fold, report, row, column, progress)
            return Proved(report, row, column, proof, list_records(proof, Wanted(usual_fields(fold, proof)), progress))

        self._prover.start(prove)
        return True
