"""The SQL dialect of PostgreSQL."""

from __future__ import annotations

#: Members of fixed names, in the order in which they are loaded.
EXTENSIONS, ROLES, SCHEMA = "00000-extensions.sql", "00000-roles.sql", "00000-schema.sql"
CONSTRAINTS, OBJECTS = "90000-constraints.sql", "91000-objects.sql"
SPECIAL, OWNERS = "93000-server.sql", "99000-owners.sql"
#: Members that only an administrator of the server can load.
OF_SERVER = (ROLES, SPECIAL, OWNERS)
#: What the names of roles begin with that exist only while a dump is loaded.
LOADING_ROLE = "fasciculus_load_"
#: What statements find, whatever the client and the one before it were set to.
SETTINGS = (
    "SET client_encoding = '%s';\n"
    "SET standard_conforming_strings = on;\n"
    "SET check_function_bodies = false;\n"
    "SET xmloption = content;\n"
    "SET client_min_messages = warning;\n"
    "SET lc_monetary = 'C';\n"
    "SET DateStyle = 'ISO, MDY';\n"
    "SET IntervalStyle = 'postgres';\n"
    "SET TimeZone = 'UTC';\n"
    "SET search_path = '';\n"
)
#: Settings that are lists of names: each of them is quoted by itself already.
_LISTS = ("search_path", "temp_tablespaces", "local_preload_libraries", "session_preload_libraries")


def head(encoding: str) -> bytes:
    """Return what every member begins with; ``encoding`` is the client's."""
    return (SETTINGS % encoding.replace("'", "")).encode()


def quote_name(name: str) -> str:
    """Return a name as an SQL identifier, always quoted."""
    return '"' + name.replace('"', '""') + '"'


def sql_text(value: str) -> str:
    """Return a text as an SQL literal, whatever ``standard_conforming_strings`` says."""
    if "\\" in value:
        return " E'" + value.replace("\\", "\\\\").replace("'", "''") + "'"
    return "'" + value.replace("'", "''") + "'"


def setting(words: str) -> str:
    """Return ``name=value`` as SQL."""
    name, _, value = words.partition("=")
    if name.lower() in _LISTS:
        return f"{name} TO {value}"
    return f"{name} TO {sql_text(value)}"


def block(code: str) -> str:
    """Return an anonymous block of PL/pgSQL."""
    tag = "$block$"
    while tag in code:
        tag = f"{tag[:-1]}x$"
    return f"DO {tag}BEGIN {code} END{tag}"


def in_this_database(before: str, after: str) -> str:
    """Return a statement with the name of the database that it is executed in between two parts."""
    name = "pg_catalog.quote_ident(pg_catalog.current_database())"
    return block(f"EXECUTE {sql_text(before)} || {name} || {sql_text(after)};")


def encoded(text: str) -> bytes:
    """Return SQL as bytes; names that are not UTF-8 keep their bytes."""
    return text.encode("utf-8", "surrogateescape")
