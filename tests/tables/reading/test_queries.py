"""Queries are judged by parsing them: whatever writes, waits, locks or reads files is refused, whatever stands around it."""

import pytest

from foldbasket.errors import ReadError
from foldbasket.tables.reading.queries import check_query

GOOD = [
    "SELECT * FROM sales",
    "select a, sum(b) as total from s group by 1 having sum(b) > 3 order by 2 desc limit 5;",
    "WITH big AS (SELECT * FROM sales WHERE net > 3) SELECT count(*) FROM big JOIN other ON big.a = other.a",
    "SELECT 1 UNION ALL SELECT 2",
    "(SELECT 1)",
    "VALUES (1, 'x'), (2, 'y')",
    "TABLE regions",
    "SELECT a /* a remark */ FROM sales -- and another",
    "SELECT 'INTO OUTFILE ''x''' AS text, \"sleep\" FROM sales",
    "SELECT row_number() OVER (PARTITION BY a ORDER BY b) FROM sales",
    "SELECT CASE WHEN a LIKE '%;%' THEN 1 END FROM sales",
]
BAD = [
    "", ";", "DELETE FROM sales", "UPDATE sales SET a = 1", "INSERT INTO s VALUES (1)", "DROP TABLE s", "CREATE TABLE t AS SELECT 1",
    "SELECT 1; DELETE FROM sales", "SELECT 1; SELECT 2", "WITH gone AS (DELETE FROM sales RETURNING *) SELECT * FROM gone",
    "SELECT * INTO other FROM sales", "SELECT * FROM sales FOR UPDATE", "COMMIT", "SET x = 1", "CALL run()", "EXPLAIN ANALYZE DELETE FROM s",
    "COPY sales TO PROGRAM 'x'", "(SELECT 1)); DROP VIEW v; --", "SELECT 1\0", "SELECT" + "(" * 5_000,
]  # fmt: skip
BY_DIALECT = [
    ("mariadb", "SELECT * FROM sales INTO OUTFILE '/tmp/x'"),
    ("mariadb", "SELECT * FROM sales INTO/**/OUTFILE '/tmp/x'"),
    ("mariadb", "SELECT * FROM sales INTO /* a remark */ DUMPFILE '/tmp/x'"),
    ("mariadb", "SELECT * FROM sales INTO # a remark\n OUTFILE '/tmp/x'"),
    ("mariadb", "SELECT * FROM sales /*! INTO OUTFILE '/tmp/x' */"),
    ("mariadb", "SELECT * FROM sales /*M!100100 INTO OUTFILE '/tmp/x' */"),
    ("mariadb", "SELECT * INTO @x FROM sales"),
    ("mariadb", "SELECT SLEEP(1000)"),
    ("mariadb", "SELECT BENCHMARK(1000000000, MD5('x'))"),
    ("mariadb", "SELECT LOAD_FILE('/etc/passwd')"),
    ("mariadb", "SELECT load_file ('/etc/passwd') FROM sales"),
    ("mariadb", "SELECT GET_LOCK('x', 100)"),
    ("mariadb", "SELECT * FROM sales LOCK IN SHARE MODE"),
    ("postgresql", "SELECT pg_sleep(1000)"),
    ("postgresql", "SELECT pg_catalog.pg_sleep(1000)"),
    ("postgresql", "SELECT pg_read_file('/etc/passwd')"),
    ("postgresql", "SELECT lo_import('/etc/passwd')"),
    ("postgresql", "SELECT nextval('s')"),
    ("postgresql", "SELECT pg_terminate_backend(1)"),
    ("postgresql", "SELECT * FROM dblink('x', 'DELETE FROM y') AS t(a int)"),
    ("postgresql", "SELECT query_to_xml('DELETE FROM x', true, true, '')"),
    ("postgresql", "SELECT * FROM sales FOR NO KEY UPDATE"),
    ("sqlite", "ATTACH 'other.db' AS o"),
    ("sqlite", "PRAGMA writable_schema = 1"),
    ("sqlite", "SELECT load_extension('x')"),
    ("sqlite", "SELECT writefile('x', 'y')"),
]


@pytest.mark.parametrize("dialect", ["postgresql", "mysql", "mariadb", "sqlite"])
@pytest.mark.parametrize("query", GOOD)
def test_what_reads_is_sent_as_it_is(query, dialect):
    if dialect in ("mysql", "mariadb", "sqlite") and query.startswith(("VALUES", "TABLE")):
        query = (
            query.replace("VALUES", "SELECT * FROM (VALUES").replace("'y')", "'y')) AS t")
            if query.startswith("VALUES")
            else query
        )
    assert check_query(query, dialect, "x") == query.strip().rstrip(";")


@pytest.mark.parametrize("dialect", ["postgresql", "mariadb", "sqlite"])
@pytest.mark.parametrize("query", BAD)
def test_what_does_more_than_read_is_refused(query, dialect):
    with pytest.raises(ReadError):
        check_query(query, dialect, "x")


@pytest.mark.parametrize(("dialect", "query"), BY_DIALECT)
def test_what_neither_transaction_nor_rights_stop_is_refused(dialect, query):
    with pytest.raises(ReadError):
        check_query(query, dialect, "x")
