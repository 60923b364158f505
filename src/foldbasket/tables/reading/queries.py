"""Which queries may be sent to a database: one statement that reads, judged by parsing it and never by its first word.

The transaction is read-only as well, and a user without rights to write is better still; what is refused here is what neither of
them stops: files that a server writes or reads, functions that write or wait, and rows that are locked.
"""

from __future__ import annotations

import re
from functools import cache

from foldbasket.errors import ReadError
from foldbasket.later import exp, sqlglot

DIALECTS = {"mssql": "tsql", "postgresql": "postgres", "mysql": "mysql", "mariadb": "mysql", "sqlite": "sqlite"}
KNOWN = ("postgresql", "mysql", "mariadb", "sqlite")
"""Dialects of which it is known what each of their functions does that matters here."""
LONGEST = 200_000
_WRITES = (
    "Into", "Insert", "Update", "Delete", "Merge", "Create", "Drop", "Alter", "Command", "Set", "Lock", "Copy", "LoadData",
    "TruncateTable", "Pragma", "Attach", "Detach", "Use", "Kill", "Transaction", "Commit", "Rollback", "PropertyEQ",
)  # fmt: skip
"""The parser's nodes that do more than read."""
_FILES = ("ReadCSV", "ReadParquet")
_FUNCTIONS = re.compile(
    r"""
      sleep | benchmark | load_file | get_lock | release_(all_)?locks? | master_\w+_wait | sys_\w+ | setval | nextval | lastval
    | pg_sleep\w* | pg_read_\w+ | pg_ls_\w+ | pg_stat_file | lo_\w+ | dblink\w* | pg_(terminate|cancel)_backend | pg_(try_)?advisory\w*
    | set_config | query_to_xml\w* | cursor_to_xml\w* | table_to_xml\w* | schema_to_xml\w* | database_to_xml\w* | pg_logical\w* | pg_notify | pg_rotate_logfile\w* | pg_reload_conf | pg_file_\w+
    | pg_(start|stop|create|drop|switch|promote|backup|import|export|replication)\w* | txid_current | pg_current_xact_id
    | load_extension | readfile | writefile | edit | fts3_tokenizer | zeroblob | randomblob
    """,
    re.VERBOSE | re.IGNORECASE,
)
_RUN_COMMENT = re.compile(r"/\*M?!", re.IGNORECASE)


def check_query(query: str, dialect: str, where: str) -> str:
    """The query as it may be sent, without what ends it. Raises ReadError where it is not one statement that reads and no more."""
    text = query.strip().rstrip(";").strip()
    refused = ReadError(
        "only a query that reads can be run.", where=where, todo="It begins with SELECT, WITH, VALUES or TABLE."
    )
    if not text or len(text) > LONGEST or "\0" in text:
        raise refused
    if re.fullmatch(r'TABLE\s+[\w."`]+', text, re.IGNORECASE):
        return text
    if dialect != "sqlite" and dialect != "postgresql" and _RUN_COMMENT.search(text):
        raise ReadError("the query holds a comment that the server would run.", where=where, todo="Take it out.")
    try:
        spoken = DIALECTS.get(dialect, dialect)
        known = spoken if sqlglot.Dialect.get(spoken) is not None else None
        trees = sqlglot.parse(text, dialect=known, error_level=sqlglot.ErrorLevel.RAISE)
    except (sqlglot.errors.SqlglotError, RecursionError, ValueError, TypeError, AttributeError) as error:
        first = (getattr(error, "errors", None) or [{}])[0]
        mark = str(first.get("highlight") or "").strip()[:40]
        said = f"near “{mark}” in line {first.get('line')}" if mark else "it breaks off, or is not SQL"
        raise ReadError(
            f"the query cannot be understood ({said}).", where=where, todo="Mend it, or choose a table."
        ) from None
    if len(trees) != 1 or not isinstance(trees[0], exp.Query | exp.Values):
        raise refused
    for node in trees[0].walk():
        if isinstance(node, _writing()):
            raise refused
        name = _called(node)
        does = "writes, waits or reads files" if name and _FUNCTIONS.fullmatch(name) else ""
        if name and not does and dialect not in KNOWN and _is_strange(node):
            does = "may do anything, as far as is known here"
        if does:
            raise ReadError(
                f"the function “{name}” {does}, so it is not run.", where=where, todo="Take it out of the query."
            )
    return text


def _is_strange(node: object) -> bool:
    """Whether a function may do anything, as far as is known."""
    return isinstance(node, exp.Anonymous | exp.AnonymousAggFunc) or type(node).__name__ in _FILES


@cache
def _writing() -> tuple[type, ...]:
    return tuple(getattr(exp, name) for name in _WRITES)


def _called(node: object) -> str:
    """The name by which a node calls a function; empty for other nodes."""
    if isinstance(node, exp.Anonymous):
        return str(node.this)
    return node.sql_name() if isinstance(node, exp.Func) else ""
