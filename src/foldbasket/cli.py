"""The command ``fold-basket``: the window, and everything that needs none.

Exit codes: 0 done, 1 something in the data or a basket is wrong (one line on standard error says what), 2 the command
itself was not understood, 130 interrupted.
"""

from __future__ import annotations

import contextlib
import gc
import os
import signal
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from foldbasket import windowed
from foldbasket.command_end import told_in_a_line
from foldbasket.errors import FoldBasketError
from foldbasket.styling.words import number_of
from foldbasket.undisturbed import undisturbed

if TYPE_CHECKING:
    import argparse

    from foldbasket.baskets.basket import Basket
    from foldbasket.baskets.files import Opened
    from foldbasket.folding.cubes.cluster_access import Where
    from foldbasket.opening.ready import Ready
    from foldbasket.rendering import Wanted


RENDER = """\
Folds a basket without a window and writes the report.

The ending of --to names the format: .xlsx, .ods, .csv, .html, .md, .parquet, .pdf, .png, .svg or .txt. With several folds name one with --fold, or write
them all by putting {fold} into the name:

  fold-basket render quillmoor.basket --fold "Net sales by site" --to sites.xlsx
  fold-basket render quillmoor.basket --to "out/{fold}.csv"
  fold-basket render quillmoor.basket --fold "Net sales by site" --to cells.csv --shape cells
  fold-basket render quillmoor.basket --fold "Net sales by site" --each Region --to "out/{member}.pdf" --to "out/{member}.xlsx"
  fold-basket render quillmoor.basket --to "out/{fold}.html" --style newsprint --set as-of=2026-06-30
"""


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one command and returns its exit code."""
    return told_in_a_line(lambda: _run(list(sys.argv[1:] if arguments is None else arguments)))


def _run(arguments: list[str]) -> int:
    if not arguments:
        return windowed.open_window([])
    if arguments[0] in ("demo", "read", "render", "show", "check", "cache", "cluster"):
        options = _parser().parse_args(arguments)
        code = int(options.run(options))
        sys.stdout.flush()  # so that a full disk is met where it can be told
        return code
    return windowed.open_window(windowed.parser().parse_args(arguments).files)


def _parser() -> argparse.ArgumentParser:
    import argparse

    parser = argparse.ArgumentParser("fold-basket")
    commands = parser.add_subparsers(required=True)

    demo = commands.add_parser(
        "demo", help="open the demo", description="Makes the Quillmoor Growers demo and opens it."
    )
    demo.add_argument(
        "--lines", type=_count, default=None, metavar="N", help="how many order lines (48,000 unless said)"
    )
    demo.add_argument(
        "--to", type=Path, default=None, metavar="FOLDER", help="where the data goes; then nothing is opened"
    )
    demo.add_argument("--format", choices=("csv", "parquet"), default="csv", help="how the tables are written")
    demo.add_argument(
        "--or-render",
        type=Path,
        default=None,
        metavar="FOLDER",
        help="without a display, render every fold into FOLDER",
    )
    demo.set_defaults(run=_demo)

    _add_render(commands)
    from foldbasket import oneline

    windowed.add(commands)
    oneline.add(commands, _size)
    check = commands.add_parser(
        "check",
        help="check a basket or a file of data",
        description="Reads every source and folds every fold of a basket, or reads a file of data, and says what is wrong and what looks wrong.",
    )
    check.add_argument("basket", type=Path, metavar="FILE")
    check.add_argument("--trust", action="store_true", help="let the basket read files outside its own folder")
    check.set_defaults(run=_check)
    cache = commands.add_parser(
        "cache",
        help="what is kept of files that were read",
        description="Tells how much is kept of files that were read, so that they open at once the next time; --clear takes it all out.",
    )
    cache.add_argument("--clear", action="store_true", help="take everything out")
    cache.set_defaults(run=_cache)
    cluster = commands.add_parser(
        "cluster",
        help="start a cluster on this machine",
        description="Starts a scheduler and workers of dask.distributed on this machine, for: fold-basket render --cluster ADDRESS. Reached from beyond it only with certificates.",
    )
    cluster.add_argument("--workers", type=_count, default=2, metavar="N", help="how many workers, of one thread each")
    cluster.add_argument("--host", default="127.0.0.1", help="the address it listens at")
    cluster.add_argument("--port", type=int, default=8786, help="and the port; 0 for a free one")
    _add_certificates(cluster, "--")
    cluster.set_defaults(run=_cluster)
    return parser


def _add_render(commands: Any) -> None:
    import argparse

    render = commands.add_parser(
        "render", help="write a report", description=RENDER, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    render.add_argument("basket", type=Path, metavar="BASKET")
    render.add_argument("--fold", default=None, metavar="NAME", help="which fold; needed when there are several")
    render.add_argument(
        "--to",
        required=True,
        action="append",
        metavar="FILE",
        help="where to write, as often as wanted; the ending names the format",
    )
    render.add_argument(
        "--each", default=None, metavar="FIELD", help="one report for each member of a field; {member} in --to names it"
    )
    render.add_argument(
        "--style",
        default=None,
        metavar="STYLE",
        help="ledger, linen, slate, newsprint, plain, night, or one of the basket's own",
    )
    render.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="NAME=VALUE",
        help="sets a picker to members, with commas between, or as-of to a date",
    )
    render.add_argument(
        "--shape",
        choices=("table", "cells", "sums", "postgresql", "mariadb", "sqlite", "chart", "listing"),
        default="table",
        help="listing: the records of each group; cells: one line per cell, as CSV; sums: a workbook that adds up its totals itself; of an SQL file, the server it is for; chart: the chart alone, as PNG, SVG or PDF",
    )
    render.add_argument("--index", metavar="FILE", help="an index of the files written, as .html with links or .csv")
    render.add_argument(
        "--memory",
        type=_size,
        default=None,
        metavar="SIZE",
        help="hold no more of a table than that (such as 500MB); what is larger is folded part by part (40 %% of what is free unless said)",
    )
    render.add_argument(
        "--cluster",
        default=None,
        metavar="ADDRESS",
        help="fold Parquet files on a cluster of dask.distributed: the address of its scheduler, or local:N for N workers on this machine",
    )
    _add_certificates(render, "--cluster-")
    render.add_argument("--trust", action="store_true", help="let the basket read files outside its own folder")
    render.add_argument("--quiet", action="store_true", help="say nothing when all went well")
    render.set_defaults(run=_render)


def _add_certificates(parser: argparse.ArgumentParser, lead: str) -> None:
    for name, what in (("ca", "the authority that signed"), ("cert", "the certificate shown"), ("key", "its key")):
        parser.add_argument(
            f"{lead}{name}", dest=name, default=None, type=Path, metavar="FILE", help=f"TLS: {what}, as PEM"
        )


def _count(text: str) -> int:
    import argparse

    value = int(text.replace(",", "").replace("_", ""))
    if not 1 <= value <= 1_000_000_000:
        raise argparse.ArgumentTypeError("a number from 1 to 1,000,000,000")
    return value


def _size(text: str) -> int:
    import argparse

    from foldbasket.tables.reading.contract import bytes_said

    try:
        return bytes_said(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def _has_display() -> bool:
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def _demo(options: argparse.Namespace) -> int:
    from foldbasket.demo.generator import DEFAULT_LINES
    from foldbasket.demo.scenario import write_demo

    lines = options.lines or DEFAULT_LINES
    if options.to is not None:
        path = write_demo(options.to, lines, options.format)
        print(f"{lines:,} order lines and their tables are in {options.to}; open {path}")
        return 0
    if options.or_render is not None and not _has_display():
        basket = write_demo(options.or_render / "data", lines, options.format)
        print("There is no display here, so the demo's folds are rendered instead of shown:")
        for ending in RENDERED:
            _render_all(basket, options.or_render, ending)
        print(f"All is in {options.or_render}/. With a display, the same command opens the window.")
        return 0
    import platformdirs

    folder = Path(platformdirs.user_data_dir("fold-basket")) / "demo"
    return windowed.open_window([write_demo(folder, lines, options.format)])


RENDERED = (".pdf", ".xlsx", ".html", ".csv", ".png")


def _render_all(basket: Path, folder: Path, ending: str) -> None:
    options = _parser().parse_args(["render", str(basket), "--to", str(folder / ("{fold}" + ending))])
    _render(options)


def _render(options: argparse.Namespace) -> int:
    with contextlib.ExitStack() as stack:
        with undisturbed():
            made = _prepared(options, stack)
        gc.freeze()  # what was loaded stays to the end
        return _written(options, *made)


def _prepared(options: argparse.Namespace, stack: contextlib.ExitStack) -> tuple[Opened, Basket, Ready, Wanted]:
    """The basket with its sources open, and what is wanted of it; `stack` closes what is opened beside."""
    from foldbasket.baskets.files import open_basket
    from foldbasket.opening.prepared import prepare
    from foldbasket.rendering import Wanted, folds_of, prepared

    cluster = None
    opened = open_basket(options.basket)
    settings = tuple(each.partition("=")[::2] for each in options.set)
    wanted = Wanted(options.to, options.shape, options.fold, options.each, options.style, settings, options.index)
    basket = prepared(opened.basket, wanted)
    folds_of(basket, wanted)  # what is not clear is told before anything is read
    if options.cluster is not None:
        from foldbasket.folding.cubes.cluster import Cluster

        cluster = Cluster(_where(options))
        stack.callback(cluster.close)
    ready = prepare(
        msgspec.structs.replace(opened, basket=basket), allow_outside=options.trust, lazily=True, memory=options.memory, cluster=cluster
    )  # fmt: skip
    return opened, basket, ready, wanted


def _where(options: argparse.Namespace) -> Where:
    from foldbasket.folding.cubes.cluster_access import Where

    return Where(options.cluster, *(str(each or "") for each in (options.ca, options.cert, options.key)))


def _written(options: argparse.Namespace, opened: Opened, basket: Basket, ready: Ready, wanted: Wanted) -> int:
    """Writes the reports and tells of them; the exit code."""
    from foldbasket.rendering import written
    from foldbasket.tables.store import STORE

    wrong = 0

    def tell(problem: str) -> None:
        nonlocal wrong
        wrong += 1
        print(f"fold-basket: {problem}", file=sys.stderr)

    for problem in ready.problems:
        tell(problem)
    for made in written(opened, basket, ready, wanted, lambda problem: tell(f"{options.basket.name}: {problem}")):
        report = made.report
        if not options.quiet:
            print(
                f"{made.path}: {number_of(report.height, 'row')} × {number_of(report.width, 'column')} from {report.kept:,} of {number_of(report.records, 'record')}"
            )
    STORE.write()
    if wrong > 1:
        print(f"fold-basket: {wrong} to put right; see above.", file=sys.stderr)
    return 1 if wrong else 0


def _cache(options: argparse.Namespace) -> int:
    from foldbasket.tables.store import STORE

    many, size = STORE.clear() if options.clear else STORE.size()
    done = "taken out of" if options.clear else "in"
    print(f"{number_of(many, 'table')}, {size / 1e6:,.1f} MB {done} {STORE.folder}")
    return 0


def _cluster(options: argparse.Namespace) -> int:
    """Starts a scheduler and workers on this machine, and keeps them until it is interrupted."""
    from foldbasket.folding.cubes.cluster import started

    options.cluster = f"{options.host}:{options.port}"
    with started(_where(options), options.workers) as address:
        print(f"{options.workers} workers behind {address}; end it with Ctrl+C", flush=True)
        while True:
            signal.pause()


def _check(options: argparse.Namespace) -> int:
    from foldbasket.opening.prepared import basket_or_data, prepare
    from foldbasket.tables.findings.findings import findings_of
    from foldbasket.tables.findings.surveyed import findings_by_survey
    from foldbasket.tables.sample import is_sampled

    opened = basket_or_data(options.basket)
    ready = prepare(opened, allow_outside=options.trust)
    for spec in opened.basket.sources:
        table = ready.tables[spec.key]
        print(f"source “{spec.name}”: {number_of(table.count, 'record')}, {number_of(len(table.columns), 'field')}")
        for outcome in ready.outcomes[spec.key]:
            if outcome.dropped:
                print(f"  {outcome.mend.label}: {number_of(outcome.dropped, 'record')} dropped")
        if is_sampled(table):
            print("  not held, so looked through part by part")
        for finding in findings_by_survey(table) if is_sampled(table) else findings_of(table):
            if finding.key not in spec.left:
                print(f"  {finding.title}" + (f" ({finding.where})" if finding.where else ""))
    wrong = list(ready.problems)
    for link in ready.source.links:
        if is_sampled(ready.tables[link.from_table]):
            continue
        with contextlib.suppress(FoldBasketError):  # told already
            found = ready.source.rows(link.from_table, link.to_table)
            missing = 0 if found is None else int((found < 0).sum())
            print(
                f"link “{ready.source.called(link.from_table)}” to “{ready.source.called(link.to_table)}”: "
                + (f"{missing:,} records find no partner" if missing else "all found")
            )
    for fold in opened.basket.folds:
        try:
            report = ready.engine.fold(fold)
            print(f"fold “{fold.name}”: {number_of(report.height, 'row')} × {number_of(report.width, 'column')}")
            wrong += [f"the fold “{fold.name}”: {remark}" for remark in report.remarks]
        except FoldBasketError as error:
            wrong.append(f"the fold “{fold.name}”: {error}")
    for problem in wrong:
        print(f"fold-basket: {problem}", file=sys.stderr)
    print("All is well." if not wrong else f"{len(wrong)} to put right.")
    return 1 if wrong else 0
