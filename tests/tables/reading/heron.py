"""A dialect of SQLAlchemy that the program does not know: SQLite's under another name, which cannot tell the fields of views."""

import sqlalchemy as sa
from sqlalchemy.dialects import registry
from sqlalchemy.dialects.sqlite.pysqlite import SQLiteDialect_pysqlite


class Heron(SQLiteDialect_pysqlite):
    """It is called by this name in connection addresses."""

    name = "heron"
    supports_statement_cache = True

    def get_columns(self, connection, table_name, schema=None, **more):
        if table_name in self.get_view_names(connection, schema):
            raise NotImplementedError
        return super().get_columns(connection, table_name, schema, **more)


class Unready(SQLiteDialect_pysqlite):
    """Its driver is not there."""

    name = "unready"

    @classmethod
    def import_dbapi(cls):
        raise ModuleNotFoundError("No module named 'herondriver'", name="herondriver")


def register():
    """Makes the dialects known, as installing a package would."""
    registry.register("heron", __name__, "Heron")
    registry.register("unready", __name__, "Unready")


def fill(path):
    """A database with a table and a view."""
    engine = sa.create_engine(f"sqlite:///{path}")
    with engine.begin() as connection:
        connection.exec_driver_sql('CREATE TABLE "odd sales" (region text, net numeric, pieces integer)')
        connection.exec_driver_sql("INSERT INTO \"odd sales\" VALUES ('North 100%', 1.25, 3), ('South', -2.5, 4), (NULL, NULL, NULL)")  # fmt: skip
        connection.exec_driver_sql('CREATE VIEW few AS SELECT region FROM "odd sales"')
    engine.dispose()
