"""The SQL dialect of MariaDB and MySQL."""

from __future__ import annotations

#: The last member of a dump: the users of a database.
USERS = "99000-users.sql"
#: What the names of users begin with that exist only while a dump is loaded.
LOADING_USER = "fasciculus-load-"
#: What each statement finds, whatever the client and the one before it were set to.
SETTINGS = (
    b"SET NAMES utf8mb4;\nSET time_zone='+00:00';\n"
    b"SET sql_mode='NO_AUTO_VALUE_ON_ZERO,ALLOW_INVALID_DATES';\n"
)
#: What every member begins with.
HEAD = SETTINGS + (
    b"SET foreign_key_checks=0;\nSET unique_checks=0;\n"
    b"/*M!100200 SET check_constraint_checks=0 */;\n"
)


def sql_text(value: str) -> str:
    """Return a text as an SQL literal."""
    return "'" + value.replace("\\", "\\\\").replace("'", "\\'") + "'"
