"""Objects of a database, in an order in which they can be created."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from .server import Server

#: A catalog and a number in it identify an object, as in ``pg_depend``.
Key = tuple[str, int]

#: Kinds in the order in which they are created if nothing depends on anything.
_RANKS = (
    "schema",
    "language",
    "collation",
    "type",
    "routine",
    "operator",
    "cast",
    "text search",
    "foreign",
    "sequence",
    "table",
    "view",
)
#: What belongs to another object, by catalog: the object is found by this query.
_PARTS = {
    "pg_attrdef": "SELECT oid, 'pg_class', adrelid FROM pg_attrdef",
    "pg_rewrite": "SELECT oid, 'pg_class', ev_class FROM pg_rewrite",
    "pg_type": (
        "SELECT t.oid, CASE WHEN t.typrelid <> 0 AND c.relkind <> 'c' THEN 'pg_class' "
        "ELSE 'pg_type' END, CASE WHEN t.typrelid <> 0 AND c.relkind <> 'c' THEN t.typrelid "
        "ELSE t.typelem END FROM pg_type t LEFT JOIN pg_class c ON c.oid = t.typrelid "
        "WHERE (t.typrelid <> 0 AND c.relkind <> 'c') OR t.typcategory = 'A' AND t.typelem <> 0"
    ),
    "pg_class": (
        "SELECT c.oid, 'pg_type', c.reltype FROM pg_class c WHERE c.relkind = 'c' UNION ALL "
        "SELECT indexrelid, 'pg_class', indrelid FROM pg_index"
    ),
    "pg_constraint": ("SELECT oid, 'pg_type', contypid FROM pg_constraint WHERE contypid <> 0"),
    "pg_amop": "SELECT oid, 'pg_opfamily', amopfamily FROM pg_amop",
    "pg_amproc": "SELECT oid, 'pg_opfamily', amprocfamily FROM pg_amproc",
}


@dataclass(slots=True)
class DbObject:
    """An object with the statements that create it. ``keys`` identify it in ``pg_depend``.

    ``is_late`` says that it needs what is created after the rows, such as a primary key.
    """

    kind: str
    name: str
    keys: list[Key]
    statements: list[str]
    is_late: bool = False


class Dependencies:
    """The dependencies of a database's objects on each other, and on extensions."""

    def __init__(self, server: Server) -> None:
        self._owners: dict[Key, Key] = {}
        for catalog, query in _PARTS.items():
            for number, of, other in server.rows(query):
                self._owners[catalog, int(number or 0)] = (str(of), int(other or 0))
        #: What an extension brings, and creates by itself.
        self.of_extensions: set[Key] = set()
        self._needs: dict[Key, set[Key]] = {}
        for source, number, refers, other, kind in server.rows(
            "SELECT classid::regclass, objid, refclassid::regclass, refobjid, deptype "
            "FROM pg_depend WHERE deptype <> 'p' AND (objid >= 16384 OR refobjid >= 16384)"
        ):
            own, needed = (str(source), int(number or 0)), (str(refers), int(other or 0))
            if kind == "e":
                self.of_extensions.add(own)
            elif source != "pg_class" or kind not in ("a", "i") or refers != "pg_class":
                # A sequence depends on its column only so that it is dropped with it.
                self._needs.setdefault(self.whole(own), set()).add(self.whole(needed))

    def whole(self, key: Key) -> Key:
        """Return the object that a part, such as a column's default, belongs to."""
        for _ in range(8):
            above = self._owners.get(key)
            if above is None or above == key or not above[1]:
                break
            key = above
        return key

    def is_of_extension(self, catalog: str, number: str | None) -> bool:
        """Return whether an extension creates an object."""
        return (catalog, int(number or 0)) in self.of_extensions

    def needs(self, key: Key) -> set[Key]:
        """Return the objects that one needs."""
        return self._needs.get(key, set()) - {key}


def in_order(objects: Iterable[DbObject], dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield objects so that each comes after those that it needs, otherwise by kind and name.

    Objects that need a constraint, directly or through others, are marked as late. A circle is
    broken where it is met: bodies of functions are not checked while they are created.
    """
    known: dict[Key, DbObject] = {}
    waiting = sorted(objects, key=lambda row: (_RANKS.index(row.kind), row.name))
    for row in waiting:
        known.update(dict.fromkeys(row.keys, row))
    done: set[int] = set()
    for first in waiting:
        # Without recursion: chains of views may be long.
        stack = [(first, iter(_needed(first, known, dependencies)))]
        entered = {id(first)}
        while stack:
            row, rest = stack[-1]
            if id(row) in done:
                stack.pop()
                continue
            for other in rest:
                if id(other) not in done and id(other) not in entered:
                    entered.add(id(other))
                    stack.append((other, iter(_needed(other, known, dependencies))))
                    break
                row.is_late = row.is_late or (id(other) in done and other.is_late)
            else:
                done.add(id(row))
                stack.pop()
                if stack:
                    above = stack[-1][0]
                    above.is_late = above.is_late or row.is_late
                yield row


def _needed(
    row: DbObject, known: dict[Key, DbObject], dependencies: Dependencies
) -> list[DbObject]:
    keys = set[Key]().union(*map(dependencies.needs, row.keys))
    if any(catalog == "pg_constraint" for catalog, _ in keys) and row.kind in ("view", "routine"):
        row.is_late = True
    found = {id(known[key]): known[key] for key in keys if key in known}
    found.pop(id(row), None)
    return sorted(found.values(), key=lambda other: (_RANKS.index(other.kind), other.name))
