"""How the apps of today take over the tables of yesterday's: a table that is there is renamed with all its rows, one that is
not is made."""

from typing import Any

from django.db.migrations.operations import SeparateDatabaseAndState
from django.db.migrations.operations.base import Operation

#: The last migrations of the layout before this one; a database that lacks one of them is too old to be taken over.
_LAST_BEFORE = {
    ("garage", "0005_logbook"),
    ("circuits", "0002_circuit_previous"),
    ("events", "0004_event_calibration"),
    ("runs", "0002_logbook"),
    ("verdicts", "0003_tests_and_calibrations"),
    ("race", "0001_initial"),
}


def check_age(connection: Any) -> None:
    """Refuses a database of before whose tables are too old to be taken over; also asked before any migration begins.

    :raises RuntimeError: saying what to do
    """
    with connection.cursor() as cursor:
        there = set(connection.introspection.table_names(cursor))
        if "garage_car" not in there:
            return
        cursor.execute("SELECT app, name FROM django_migrations")
        if not _LAST_BEFORE <= set(cursor.fetchall()):
            raise RuntimeError("This database is older than version 0.1: start version 0.1 on it once, then this one.")


class TakeOver(SeparateDatabaseAndState):
    """Makes the tables of these operations, or takes over the tables of before.

    :param operations: what makes the tables on a new database
    :param tables: today's table by yesterday's, all of them made by these operations
    """

    reversible = False

    def __init__(self, operations: list[Operation], tables: dict[str, str]) -> None:
        super().__init__(database_operations=operations, state_operations=operations)
        self.tables = tables

    def deconstruct(self) -> tuple[str, list[Any], dict[str, Any]]:
        return type(self).__name__, [], {"operations": self.state_operations, "tables": self.tables}

    def database_forwards(self, app_label: str, schema_editor: Any, from_state: Any, to_state: Any) -> None:
        connection = schema_editor.connection
        with connection.cursor() as cursor:
            there = set(connection.introspection.table_names(cursor))
            if not there >= set(self.tables):
                super().database_forwards(app_label, schema_editor, from_state, to_state)
                return
        check_age(connection)
        for old, new in self.tables.items():
            if old != new:  # SQLite renames what refers to the table as well
                schema_editor.execute(f"ALTER TABLE {schema_editor.quote_name(old)} RENAME TO {schema_editor.quote_name(new)}")
