"""What is found in the tables behind the desk without being asked: profiles, findings, how links fit, and links that look right.

Tables that are held are looked through at once, those that are not by surveys; all of it in the background.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from foldbasket.desktop.state.inorder import InOrder
from foldbasket.desktop.state.seeking import Seeker
from foldbasket.desktop.state.surveying import Surveyor, Surveys
from foldbasket.desktop.state.workers import Worker
from foldbasket.errors import FoldBasketError, FoldError, LinkError, ReadError, bare
from foldbasket.links.apart import match_apart
from foldbasket.links.findings import link_findings
from foldbasket.links.link import Link, Match, match_of
from foldbasket.links.source import Source
from foldbasket.links.suggest import suggested
from foldbasket.tables.findings.finding import Finding
from foldbasket.tables.findings.looking import look_through
from foldbasket.tables.profile import Profile
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import is_sampled, stays_elsewhere
from foldbasket.tables.table import Table


class Looker(QObject):
    """`looked`: findings, matches or suggestions are new. `profiled`: profiles are."""

    looked = pyqtSignal()
    profiled = pyqtSignal()
    failed = pyqtSignal(object)
    told = pyqtSignal(str, float)
    rested = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.profiles: dict[tuple[int, str], Profile] = {}
        """By the serial of the table and the name of the field."""
        self.matches: dict[Link, Match | FoldBasketError] = {}
        self.suggestions: tuple[Link, ...] = ()
        self._findings: dict[int, list[Finding]] = {}
        self._link_findings: dict[str, list[Finding]] = {}
        self._source, self._linked = Source({}), tuple[Link, ...]()
        self._worker = Worker("look", self, behind=True)
        self._worker.finished.connect(self._has_looked)
        self._apart: dict[tuple[Link, int, int], Match | FoldBasketError] = {}
        """How links fit whose near table is not held, by the serials of both tables."""
        self._matcher = Worker("match", self, behind=True)
        self._matcher.finished.connect(self._has_matched)
        self.surveyor = Surveyor(self)
        self.surveyor.came.connect(self._has_surveyed)
        self.in_order = InOrder(self.surveyor, self)
        self.in_order.came.connect(self.looked)
        self.seeker = Seeker(self)
        self.surveyor.failed.connect(self.failed)
        self.seeker.failed.connect(self.failed)
        for looking in (self.surveyor, self.in_order, self.seeker):
            looking.told.connect(self.told)
            looking.rested.connect(self.rested)

    @property
    def busy(self) -> bool:
        """Whether findings are still being worked out."""
        return self._worker.busy or self._matcher.busy

    def forget(self) -> None:
        """Drops what was found: another basket comes onto the desk."""
        self._worker.cancel()
        self._matcher.cancel()
        self._apart.clear()
        self.surveyor.renew(())
        self.in_order.renew()
        self.seeker.forget()
        self._findings.clear()
        self._link_findings.clear()
        self.suggestions = ()

    def close(self) -> None:
        self._worker.close()
        self._matcher.close()
        self.surveyor.close()
        self.in_order.close()
        self.seeker.close()

    def findings(self, table: Table, key: str) -> list[Finding]:
        """The findings in a table, and on the links that lead away from its source."""
        apart = (*self.surveyor.findings.get(table.serial, ()), *self.in_order.found(table))
        return [*self._findings.get(table.serial, ()), *apart, *self._link_findings.get(key, ())]

    def look(self, source: Source, linked: Sequence[Link], read: Mapping[str, Table]) -> None:
        """Works out findings, matches, suggestions and profiles that are missing, in the background. `read` are the tables as they were read, by the keys of
        their sources: what was found in them may be kept."""
        self._source, self._linked = source, tuple(linked)
        self.surveyor.renew(source.tables.values())
        self.in_order.renew()
        held = {key: table for key, table in source.tables.items() if not is_sampled(table)}
        links = [link for link in linked if link.from_table in held and link.to_table in held]
        left = {
            key: [column for column in table.columns.values() if (table.serial, column.name) not in self.profiles]
            for key, table in held.items()
        }
        fresh = {key for key, table in held.items() if table.serial not in self._findings}
        keeps = self.surveyor.keeps

        def work(progress: Any) -> Any:
            profiles: dict[tuple[int, str], Profile] = {}
            findings: dict[int, list[Finding]] = {}
            matches: dict[Link, Match | FoldBasketError] = {}
            for key in [key for key in held if left[key] or key in fresh]:
                table = held[key]
                seen = look_through(table, read.get(key), left[key], progress, wanted=key in fresh, keeps=keeps)
                profiles |= {(table.serial, name): each for name, each in seen.profiles.items()}
                if seen.findings is not None:
                    findings[table.serial] = seen.findings
            for link in links:
                progress.step("Matching", 0.0)
                try:
                    matches[link] = match_of(link, source.table(link.from_table), source.table(link.to_table))
                except (LinkError, FoldError) as error:
                    matches[link] = error
            by_table = {name: link_findings(source, name) for name in held}
            progress.step("Suggesting", 0.0)
            proposals = _proposed(source)
            return profiles, findings, matches, by_table, proposals

        self._worker.start(work)

    def _has_surveyed(self, made: Surveys) -> None:
        self._match_apart()
        self.in_order.renew()
        for serial, found in made.items():
            self.profiles.update({(serial, field): each.profile for field, each in found.items()})
        self.profiled.emit()
        self.looked.emit()

    # --- links of tables that are not held ----------------------------------

    def _match_apart(self) -> None:
        """Tells how links fit whose near table is not held: by the members of their key where those are known, else by a look through all keys, which is
        begun here. Those of a database are not brought for it."""
        left: dict[tuple[Link, int, int], tuple[Table, Table]] = {}
        for link in self._linked:
            tables = self._source.tables
            near, far = tables.get(link.from_table), tables.get(link.to_table)
            if near is None or far is None or not is_sampled(near) or is_sampled(far):
                continue
            key = link, near.serial, far.serial
            told = self.surveyor.of_field(near, link.keys[0][0]) if len(link.keys) == 1 else None
            if key in self._apart:
                self.matches[link] = self._apart[key]
            elif told is not None and told.members is not None:
                members = Table(near.name, {link.keys[0][0]: told.members})
                self._apart[key] = _matched(partial(match_of, link, members, far, many=told.counts))
                self.matches[link] = self._apart[key]
            elif not self.surveyor.is_at(near) and not stays_elsewhere(near):
                left[key] = near, far
        if not left or self._matcher.busy:
            return

        def work(progress: Progress) -> dict[tuple[Link, int, int], Match | FoldBasketError]:
            look = partial(match_apart, progress=progress, between=partial(self.surveyor.wait, progress))
            return {key: _matched(partial(look, key[0], *tables)) for key, tables in left.items()}

        self._matcher.start(work)

    def _has_matched(self, found: dict[tuple[Link, int, int], Match | FoldBasketError]) -> None:
        self._apart |= found
        self._match_apart()
        self.looked.emit()
        self.rested.emit()

    def _has_looked(self, result: Any) -> None:
        profiles, findings, self.matches, self._link_findings, self.suggestions = result
        self._match_apart()
        self.profiles.update(profiles)
        self._findings.update(findings)
        if profiles:
            self.profiled.emit()
        self.looked.emit()


def _matched(match: Callable[[], Match]) -> Match | FoldBasketError:
    """How a link fits, or why that cannot be told."""
    try:
        return match()
    except (LinkError, FoldError, ReadError) as error:
        return bare(error)


def _proposed(source: Source) -> tuple[Link, ...]:
    """Links that look right; of a table that is not held its sample is asked, and none leads to it."""
    found = suggested(source.in_view().tables, source.links) if len(source.tables) > 1 else ()
    return tuple(link for link in found if not is_sampled(source.tables[link.to_table]))
