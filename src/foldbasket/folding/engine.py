"""The engine: runs the stages of a fold, keeps what each made until something it reads changes, and counts what ran."""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Container, Iterator, Mapping, Sequence
from functools import partial

import msgspec
import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.behind import Behind
from foldbasket.folding.coverage import Dates, kept_days
from foldbasket.folding.cubes.cluster import Cluster
from foldbasket.folding.cubes.cube import Cube
from foldbasket.folding.cubes.maker import LocalMaker
from foldbasket.folding.elsewhere import Elsewhere
from foldbasket.folding.filters.about import Compute
from foldbasket.folding.filters.onefield import RecordFilter
from foldbasket.folding.layout.frame import axis_of
from foldbasket.folding.layout.laying import Laying, Word, word_of
from foldbasket.folding.layout.share import Measured, Share
from foldbasket.folding.lines.axis import Head
from foldbasket.folding.listing import add_numbers, listed_fields, listing, listing_fold, over_gathered, told_of
from foldbasket.folding.measuring import completed, fitting, operand_of, remark_on, standing
from foldbasket.folding.members.domain import Domain
from foldbasket.folding.one_at_a_time import OneAtATime
from foldbasket.folding.plan.bases import Base, bases_of, given_bases
from foldbasket.folding.plan.plan import AxisField, plan_of
from foldbasket.folding.plan.summary import Based, expanded
from foldbasket.folding.report.report import Counted, MeasureHead, Origin, Report
from foldbasket.folding.statement.statement import statement_of
from foldbasket.folding.states.aggregates.aggregate import aggregate_named
from foldbasket.folding.states.quantities import Quantity, record_at
from foldbasket.folding.unfinished import Covering, incomplete_periods, unfinished
from foldbasket.formulas.checking import Checked
from foldbasket.formulas.evaluation import as_of_day, day_named
from foldbasket.kept import Kept
from foldbasket.links.source import Source
from foldbasket.sentence.phrases import headings_of, label_of, placed_heading, sentence_of
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import FORMULA, Fold, Measure, Placed
from foldbasket.sql.asking import one_state
from foldbasket.sql.dialects import DIALECTS
from foldbasket.styling.dates import EPOCH, day_text
from foldbasket.styling.styles import style_named
from foldbasket.tables.column import Column
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import is_sampled
from foldbasket.tables.unread import Stream

Mask = npt.NDArray[np.bool_]


class Engine:
    """Folds over one source. `ran` counts how often each stage ran, which tests and the bench read.

    Folding is serialised by a lock, since stages fill shared caches; each stage is itself spread over the cores.
    """

    def __init__(
        self,
        source: Source,
        *,
        locale: str = "en",
        currency: str = "EUR",
        as_of: str = "latest",
        memory: int | None = None,
        cluster: Cluster | None = None,
        kept: Kept[Cube] | None = None,
    ) -> None:
        """`as_of` is what relative dates go by: a date, `today`, or the `latest` date of the field filtered by. Fields of a table that are not read yet
        and would take more than so many bytes of `memory` are not held, but folded in a stream; None for a share of what is free. With a
        `cluster` whatever comes as a stream is folded there. Cubes of tables that are not held are `kept`, from one engine to the next where that is
        handed on."""
        self.source = source
        self.as_of = as_of
        self.locale = locale
        self.currency = currency
        self.ran: Counter[str] = Counter()
        self._turns = OneAtATime()
        self.maker = LocalMaker(source, locale, self.ran)
        self.elsewhere = Elsewhere(
            self, self.maker, locale, as_of, self.ran, memory, cluster, Kept(8) if kept is None else kept
        )
        self.dates = Dates(source, as_of)
        self._times: Kept[npt.NDArray[np.int64]] = Kept(4)
        self._unknown: Kept[list[str]] = Kept(64)

    def fold(self, fold: Fold, progress: Progress | None = None, *, over: Mapping[str, str] | None = None) -> Report:
        """The report that a fold describes. `over` names the tables that measures are aggregated over, by their ids, where that is
        not to be found out from the fold itself. Raises FoldError or LinkError when it cannot be answered, Cancelled on request."""
        progress = progress or Progress()
        with self._turns.turn(progress):
            return self._fold(fold, progress, over)

    def _check_as_of(self) -> None:
        """A wrong as-of date is told even where nothing goes by it. Raises FoldError."""
        if self.as_of not in ("latest", "today"):
            day_named(self.as_of)

    def _based(self, asked: Fold, over: Mapping[str, str] | None, compute: Compute) -> Based:
        filters = self._telling(asked.filters)
        fold = msgspec.structs.replace(asked, filters=filters)
        made = expanded(fold, self.source, compute)
        measures = [completed(measure, self.source) for measure in made.measures]
        bases = given_bases(measures, over) if over else bases_of(self.source, fold, measures, made.fields_of)
        for base in bases:
            for at in base.measures:
                measures[at] = made.on(measures[at], base.table, self.source, compute)
        return Based(fold, filters, made, measures, bases)

    def tables_of(self, fold: Fold) -> dict[str, str]:
        """The table that each measure of a fold, and each that its formulas are made of, is aggregated over; by the measure's id."""
        found = self._based(fold, None, self.computed)
        return {found.measures[at].id: base.table for base in found.bases for at in base.measures}

    def _fold(self, asked: Fold, progress: Progress, over: Mapping[str, str] | None) -> Report:
        self._check_as_of()
        fold, filters, made, measures, bases = self._based(asked, over, self.computed)
        used = {*fold.fields(), *(ref for measure in measures for ref in measure.fields())}
        streams = self.elsewhere.bring(used, [base.table for base in bases], progress)
        with one_state():
            shares = [self._share(base, fold, filters, measures, streams.get(base.table), progress) for base in bases]
        progress.step("Laying out", 0.0)
        self.ran["frame"] += 1
        axes = tuple([self._word(word, fold, shares) for word in words] for words in (fold.rows, fold.columns))
        today = partial(as_of_day, self.source, self.as_of, bases[0].table)
        laying = Laying(fold, measures, shares, (axes[0], axes[1]), made.formulas, today)
        lines, blocks = laying.blocks()
        rows, columns = (
            axis_of(
                tree,
                each,
                tuple(
                    Head(word.placed.id, placed_heading(word.placed), word.domain, word.placed.dates) for word in words
                ),
                self.locale,
            )
            for tree, each, words in zip(laying.trees, lines, axes, strict=True)
        )
        headings = headings_of(asked, self.source)
        covering = self._covering(asked, {measures[at].id: base.table for base in bases for at in base.measures})
        incomplete = incomplete_periods(asked, (rows, columns), self.source, covering, self.locale)
        base_of = {each.at: share.base for share in shares for each in share.measures}
        return Report(
            name=label_of(asked, self.source),
            sentence=sentence_of(asked, self.source, self.locale),
            rows=rows,
            columns=columns,
            measures=tuple(
                MeasureHead(
                    measure.id,
                    headings.get(measure.id, measure.id),
                    measure.number,
                    remark_on(measure, base_of.get(at), self.source),
                    measure.aggregate != FORMULA
                    and measure.compare is None
                    and aggregate_named(measure.aggregate).is_additive,
                )
                for at, measure in enumerate(fold.measures)
            ),
            blocks=tuple(blocks),
            counted=self._counted(shares),
            locale=self.locale,
            currency=self.currency,
            measures_on=fold.measures_on,
            measures_at=fold.measures_at,
            look=asked.look,
            style=style_named(asked.look.style),
            remarks=tuple(self._unknown_members(asked, streams)),
            unfinished=unfinished(asked, incomplete, self.source, covering, self.locale),
            incomplete=incomplete,
            origin=self._origin(asked, shares[0].base),
        )

    def _counted(self, shares: Sequence[Share]) -> tuple[Counted, ...]:
        return tuple(
            Counted(
                share.base,
                int(share.cube.records.sum()),
                self.source.table(share.base).count,
                share.cube.place,
            )
            for share in shares
        )

    def listing(self, fold: Fold, progress: Progress | None = None) -> Report:
        """The records of a fold one by one under the members of its rows, as its page says. Raises FoldError where they are those of several
        tables of facts, a field of the listing cannot be reached, or those of a table that is not held are too many; Cancelled."""
        progress = progress or Progress()
        base, *more = dict.fromkeys(each.table for each in self._based(fold, None, self.computed).bases)
        if more:
            several = " and ".join(f"“{self.source.called(each)}”" for each in (base, *more))
            raise FoldError(
                f"the measures of “{fold.name}” are over records of {several}.",
                todo="A listing is of the records of one table: take out the other measures.",
            )
        fields = listed_fields(self.source, base, fold)
        if self.elsewhere.is_apart(base, {*fold.fields(), *fields}):
            with self._turns.turn(progress or Progress()):
                return self._listed_apart(fold, base, fields, progress)
        asked = listing_fold(self.source, base, fold)
        return listing(self.fold(asked, progress, over={each.id: base for each in asked.measures}), fold, self.source)

    def _listed_apart(self, fold: Fold, base: str, fields: tuple[FieldRef, ...], progress: Progress) -> Report:
        """The listing of records of a table that is not held: those that its filters keep are gathered, and listed by themselves."""
        based = self._based(fold, None, self.computed)
        used = {*fold.fields(), *fields, *(ref for measure in based.measures for ref in measure.fields())}
        self.elsewhere.bring(used, [base], progress)
        rows = self.elsewhere.with_edges(base, fold.rows, progress)
        source, numbers = self.elsewhere.gathered(base, used, self._rules(base, based.filters), progress)
        add_numbers(source, base, numbers)
        asks = any(each.formula for each in fold.measures)  # for the latest date all records are looked through
        as_of = as_of_day(self.source, self.as_of, base).isoformat() if asks else self.as_of
        held = Engine(source, locale=self.locale, currency=self.currency, as_of=as_of, memory=self.elsewhere.memory)
        measures = [completed(each, self.source) for each in fold.measures]
        asked = listing_fold(source, base, over_gathered(fold, measures, rows, fields))
        made = listing(held.fold(asked, progress, over={each.id: base for each in asked.measures}), fold, self.source)
        return told_of(made, self.source.table(base).count, self._origin(asked, base))

    def statement(self, fold: Fold, dialect: str) -> str:
        """A fold as one SQL statement, by the name of a dialect. Raises NoSqlError for what it does not say, FoldError or LinkError
        where the fold cannot be answered at all."""
        behind: dict[FieldRef, Checked] = {}

        def compute(formula: Checked, base: str) -> FieldRef:
            ref = FieldRef(base, f"={formula.text} {len(behind)}")
            behind[ref] = formula
            return ref

        return statement_of(
            self._based(fold, None, compute),
            self.source,
            DIALECTS[dialect],
            self,
            behind,
            headings_of(fold, self.source),
            sentence_of(fold, self.source, self.locale),
            self.locale,
            partial(as_of_day, self.source, self.as_of),
        )

    def _origin(self, fold: Fold, base: str) -> Origin:
        said = partial(self._as_of_said, base)
        return Origin(fold, self.fold, self.listing, self.statement, said, self._sources_said(fold))

    def _as_of_said(self, base: str) -> str:
        """The as-of date as the reader sees it."""
        day = as_of_day(self.source, self.as_of, base)
        return day_text((day - EPOCH).days, self.locale)

    def _sources_said(self, fold: Fold) -> str:
        """The names of the tables that a fold is of."""
        used = dict.fromkeys(ref.table for ref in fold.fields())
        return ", ".join(self.source.called(key) for key in used)

    def _unknown_members(self, fold: Fold, streams: Container[str]) -> Iterator[str]:
        """A sentence for each member that a filter lists and no record has; not of tables whose members are not all known."""
        for rule in fold.filters:
            if any(ref.table in streams for ref in rule.fields()):
                continue
            yield from self._unknown.get_or(rule, partial(rule.unknown, self.source))

    def _telling(self, filters: Sequence[Filter]) -> tuple[Filter, ...]:
        """The filters that leave anything out, checked against the source."""
        return tuple(rule.prepared(self.source) for rule in filters if not rule.keeps_all)

    def records_of(self, base: str, filters: Sequence[Filter], progress: Progress | None = None) -> Behind:
        """The records of a table that pass some filters. Raises FoldError, Cancelled."""
        progress, rules = progress or Progress(), self._rules(base, self._telling(filters))
        with self._turns.turn(Progress()):
            used = {ref for rule in rules for ref in rule.fields()}
            streams = self.elsewhere.bring(used, [base], progress)
            # All fields of its records are shown, not those of the filters alone.
            if base in streams or is_sampled(self.source.table(base)):
                return self.elsewhere.records_of(base, rules, progress)
            mask = self.maker.selection(base, rules, progress)
        found = np.arange(self.source.table(base).count) if mask is None else np.flatnonzero(mask)
        return Behind(len(found), found, self.source, found)

    def _rules(self, base: str, filters: Sequence[Filter]) -> tuple[Filter, ...]:
        """Filters as they are decided on a base's records: dates resolved, fields its own, conditions worked out."""
        return tuple(rule.on(base, self) for rule in filters)

    def parts_of(self, fold: Fold, word: str) -> list[Measure]:
        """The aggregates that a formula of a fold is made of, and the measures that it names, as measures."""
        made = expanded(fold, self.source, self.computed)
        at = next(at for at, measure in enumerate(fold.measures) if measure.id == word)
        wanted = list(dict.fromkeys(made.formulas[at].stands_for.values()))
        found = [measure for each in wanted for measure in made.measures if measure.id == each]
        return [
            Measure(f"{each.id}·whole", FORMULA, formula=made.about[each.id].text) if each.id in made.about else each
            for each in found
        ]

    def computed(self, formula: Checked, base: str) -> FieldRef:
        """A record expression as a field of the source, worked out once."""
        return self.elsewhere.computed(formula, base)

    def _share(
        self,
        base: Base,
        fold: Fold,
        filters: Sequence[Filter],
        measures: Sequence[Measure],
        stream: Stream | None,
        progress: Progress,
    ) -> Share:
        """What one table contributes: the filters decided on its records, its cube, and its measures."""
        table = base.table
        aggregates = [(fitting(measures[at], self.source), measures[at]) for at in base.measures]
        rules = self._rules(table, filters)
        fields = [self._axis_field(table, word) for word in fold.rows + fold.columns]
        plan = plan_of(table, fields, rules, aggregates, any(word.empty for word in fold.rows + fold.columns))
        if stream is None:
            cube, column = self.maker.cube(plan, progress), self.maker.column
        else:
            cube = self.elsewhere.cube(plan, stream, progress)
            column = partial(standing, cube, self.maker)
        measured = [
            Measured(
                at,
                measure,
                aggregate,
                operand_of(measure, aggregate, column, self.locale, partial(self._in_order, cube)),
            )
            for at, (aggregate, measure) in zip(base.measures, aggregates, strict=True)
        ]
        return Share(self.source, table, cube, measured, column, progress)

    def _in_order(self, cube: Cube, quantity: Quantity) -> tuple[Column, npt.NDArray[np.int64]]:
        """The values that a quantity numbers, and which of them each number stands for."""
        if quantity in cube.winners:
            winners = cube.winners[quantity]
            return winners.values, np.arange(len(winners))
        assert quantity.other is not None
        at = self._times.get_or(quantity.other, partial(record_at, self.source, quantity.other))
        return self.source.column(quantity.field), at

    def _word(self, placed: Placed, fold: Fold, shares: Sequence[Share]) -> Word:
        """A placed field as all shares see it."""
        fields = [self._axis_field(share.base, placed) for share in shares]
        domains = [
            share.cube.domains[share.cube.fields.index(field)] for share, field in zip(shares, fields, strict=True)
        ]
        coords = [
            share.cube.coords[share.cube.fields.index(field)] for share, field in zip(shares, fields, strict=True)
        ]
        return word_of(placed, domains, coords, lambda domain: self._kept_members(placed, fold, domain))

    @staticmethod
    def _kept_members(placed: Placed, fold: Fold, domain: Domain) -> Mask | None:
        """Which members the filters on the very same field keep; None when there is no such filter."""
        kept: Mask | None = None
        for rule in fold.filters:
            if isinstance(rule, RecordFilter) and rule.field == placed.field and rule.part == placed.cut:
                more = rule.keeps_codes(domain)
                kept = more if kept is None else kept & more
        return kept

    def own(self, base: str, ref: FieldRef) -> FieldRef:
        """The field that stands for `ref` on the records of a base."""
        found = self.source.stand_in(base, ref)
        assert found is not None  # bases are chosen so
        return found

    def _axis_field(self, base: str, word: Placed) -> AxisField:
        if word.bands is not None and (word.groups is not None or word.part is not None):
            raise FoldError(
                f"“{word.field.field}” is cut into bands and by something else at once.",
                todo="Keep the bands, or take them out.",
            )
        return AxisField(self.own(base, word.field), word.part, word.bands, word.groups)

    def as_of_date(self, ref: FieldRef) -> datetime.date:
        """The day that relative dates of a field go by; today where the field has no date."""
        return self.dates.as_of(ref)

    def _covering(self, fold: Fold, bases: Mapping[str, str]) -> Covering:
        return Covering(self.dates.coverage, partial(kept_days, fold, self.source, self._on_days), bases)

    def _on_days(self, source: Source, ref: FieldRef, rules: Sequence[Filter]) -> list[str]:
        """The days of a table of days that some filters keep, as text."""
        as_of = self.as_of_date(ref).isoformat() if self.as_of == "latest" else self.as_of
        counted = Fold("", (Measure("n", "count"),), (Placed("d", ref, "day"),), filters=tuple(rules))
        axis = Engine(source, as_of=as_of, locale=self.locale).fold(counted).rows
        return [axis.token(line, 0) for line in range(len(axis)) if axis.level[line] == 1]
