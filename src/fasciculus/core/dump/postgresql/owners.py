"""Owners of objects and rights on them."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from .dialect import in_this_database, quote_name
from .server import Server

#: By catalog: the columns of owner and rights, and the condition for separate objects.
_OWNED = {
    "pg_namespace": (
        "nspowner",
        "nspacl",
        "o.nspname !~ '^pg_(toast|temp|catalog)' AND o.nspname "
        "NOT IN ('pg_catalog', 'information_schema')",
    ),
    "pg_class": (
        "relowner",
        "relacl",
        "o.relkind IN ('r', 'p', 'v', 'm', 'f', 'S') AND o.relpersistence <> 't'",
    ),
    "pg_proc": ("proowner", "proacl", "true"),
    "pg_type": (
        "typowner",
        "typacl",
        "o.typcategory <> 'A' AND o.typtype <> 'm' AND (o.typrelid = "
        "0 OR EXISTS (SELECT FROM pg_class c WHERE c.oid = o.typrelid AND c.relkind = 'c'))",
    ),
    "pg_operator": ("oprowner", "NULL::aclitem[]", "o.oprcode <> 0"),
    "pg_opclass": ("opcowner", "NULL::aclitem[]", "true"),
    "pg_opfamily": ("opfowner", "NULL::aclitem[]", "true"),
    "pg_collation": ("collowner", "NULL::aclitem[]", "true"),
    "pg_conversion": ("conowner", "NULL::aclitem[]", "true"),
    "pg_ts_dict": ("dictowner", "NULL::aclitem[]", "true"),
    "pg_ts_config": ("cfgowner", "NULL::aclitem[]", "true"),
    "pg_language": ("lanowner", "lanacl", "true"),
    "pg_foreign_data_wrapper": ("fdwowner", "fdwacl", "true"),
    "pg_foreign_server": ("srvowner", "srvacl", "true"),
    "pg_statistic_ext": ("stxowner", "NULL::aclitem[]", "true"),
    "pg_event_trigger": ("evtowner", "NULL::aclitem[]", "true"),
    "pg_publication": ("pubowner", "NULL::aclitem[]", "true"),
    "pg_largeobject_metadata": ("lomowner", "lomacl", "true"),
}
_KINDS = {
    "aggregate": "ROUTINE",
    "composite type": "TYPE",
    "statistics object": "STATISTICS",
    "foreign-data wrapper": "FOREIGN DATA WRAPPER",
    "large object": "LARGE OBJECT",
}
#: Kinds as ``GRANT`` calls them.
_GRANTED = {
    "view": "TABLE",
    "materialized view": "TABLE",
    "foreign table": "TABLE",
    "table": "TABLE",
    "aggregate": "ROUTINE",
    "domain": "TYPE",
    "composite type": "TYPE",
    "foreign-data wrapper": "FOREIGN DATA WRAPPER",
    "server": "FOREIGN SERVER",
    "large object": "LARGE OBJECT",
}
_ACL = (
    "(SELECT pg_catalog.string_agg(CASE WHEN a.grantee = 0 THEN 'PUBLIC' ELSE "
    "pg_catalog.quote_ident(pg_catalog.pg_get_userbyid(a.grantee)) END || E'\\t' || "
    "a.privilege_type || E'\\t' || a.is_grantable, E'\\n' ORDER BY a.grantee, "
    "a.privilege_type) FROM pg_catalog.aclexplode({acl}) a)"
)


class Rights:
    """Statements for owners and rights, and the roles that they name; ``without`` are relations
    that are not in the bundle.
    """

    def __init__(self, server: Server, without: Collection[str]) -> None:
        self._server, self._without = server, without
        self.roles: set[str] = set()

    def statements(self) -> Iterator[str]:
        """Yield all of them: owners first, since rights are given in their names."""
        yield from self._database()
        objects = [row for row in self._objects() if row[1] not in self._without]
        for kind, identity, owner, _ in objects:
            self.roles.add(owner)
            yield f"ALTER {_KINDS.get(kind, kind.upper())} {identity} OWNER TO {quote_name(owner)}"
        for kind, identity, owner, acl in objects:
            if acl is not None:
                yield from self._granted(_GRANTED.get(kind, kind.upper()), identity, owner, acl)
        yield from self._owned_sequences()
        yield from self._columns()
        yield from self._defaults()

    def _objects(self) -> Iterator[tuple[str, str, str, str | None]]:
        """Yield kind, name, owner and rights of everything that has an owner."""
        for catalog, (owner, acl, chosen) in _OWNED.items():
            # Large objects are identified by the catalog of their data.
            of = catalog.removesuffix("_metadata")
            rows = self._server.rows(
                f"SELECT i.type, i.identity, pg_catalog.pg_get_userbyid(o.{owner}), "
                f"{_ACL.format(acl=acl if '::' in acl else f'o.{acl}')}, "
                f"{acl if '::' in acl else f'o.{acl}'} IS NOT NULL FROM {catalog} o, LATERAL "
                f"pg_catalog.pg_identify_object('{of}'::regclass, o.oid, 0) i WHERE "
                f"(o.oid >= 16384 OR '{catalog}' = 'pg_namespace') AND {chosen} AND "
                "coalesce(i.schema, '') NOT IN ('pg_catalog', 'pg_toast', 'information_schema') "
                "AND NOT EXISTS (SELECT FROM pg_depend x WHERE x.classid = "
                f"'{catalog}'::regclass AND x.objid = o.oid AND (x.deptype = 'e' OR x.deptype IN "
                "('i', 'a') AND x.refclassid = 'pg_class'::regclass AND x.refobjsubid <> 0 AND "
                f"'{catalog}' = 'pg_class')) ORDER BY 1, 2"
            )
            for kind, identity, who, given, has_rights in rows:
                yield (
                    str(kind),
                    str(identity),
                    str(who),
                    (str(given or "") if has_rights == "t" else None),
                )

    def _owned_sequences(self) -> Iterator[str]:
        """Yield rights on sequences of columns; their owner is the table's, which is set."""
        for identity, who, given in self._server.rows(
            "SELECT c.oid::regclass::text, pg_catalog.pg_get_userbyid(t.relowner), "
            f"{_ACL.format(acl='c.relacl')} FROM pg_class c JOIN pg_depend d ON d.classid = "
            "'pg_class'::regclass AND d.objid = c.oid AND d.deptype IN ('a', 'i') AND "
            "d.refclassid = 'pg_class'::regclass AND d.refobjsubid <> 0 JOIN pg_class t ON t.oid = "
            "d.refobjid WHERE c.relkind = 'S' AND c.relacl IS NOT NULL ORDER BY 1"
        ):
            if identity not in self._without:
                yield from self._granted("SEQUENCE", str(identity), str(who), str(given or ""))

    def _database(self) -> Iterator[str]:
        for owner, given, has_rights in self._server.rows(
            f"SELECT pg_catalog.pg_get_userbyid(o.datdba), {_ACL.format(acl='o.datacl')}, "
            "o.datacl IS NOT NULL FROM pg_database o WHERE o.datname = "
            "pg_catalog.current_database()"
        ):
            self.roles.add(str(owner))
            yield in_this_database("ALTER DATABASE ", f" OWNER TO {quote_name(str(owner))}")
            if has_rights != "t":
                continue
            yield in_this_database("REVOKE ALL ON DATABASE ", " FROM PUBLIC")
            for privilege, to in self._given(str(given or "")):
                yield in_this_database(f"GRANT {privilege} ON DATABASE ", f" TO {to}")

    def _granted(self, kind: str, identity: str, owner: str, acl: str) -> Iterator[str]:
        """Yield the statements that give exactly these rights."""
        yield f"REVOKE ALL ON {kind} {identity} FROM PUBLIC"
        yield f"REVOKE ALL ON {kind} {identity} FROM {quote_name(owner)}"
        for privilege, to in self._given(acl):
            yield f"GRANT {privilege} ON {kind} {identity} TO {to}"

    def _given(self, acl: str) -> Iterator[tuple[str, str]]:
        """Yield each right with its grantee, and whether the grantee may grant it."""
        for line in filter(None, acl.split("\n")):
            grantee, privilege, grantable = line.split("\t")
            if grantee != "PUBLIC":
                quoted = grantee.startswith('"')
                self.roles.add(grantee[1:-1].replace('""', '"') if quoted else grantee)
            may_give = grantable in ("t", "true")
            yield privilege, f"{grantee} WITH GRANT OPTION" if may_give else grantee

    def _columns(self) -> Iterator[str]:
        """Yield rights on single columns."""
        for table, column, given in self._server.rows(
            "SELECT t.attrelid::regclass::text, pg_catalog.quote_ident(t.attname), "
            f"{_ACL.format(acl='t.attacl')} FROM pg_attribute t JOIN pg_class c ON c.oid = "
            "t.attrelid WHERE t.attacl IS NOT NULL AND t.attnum > 0 AND c.oid >= 16384 AND NOT "
            "EXISTS (SELECT FROM pg_depend x WHERE x.classid = 'pg_class'::regclass AND x.objid = "
            "c.oid AND x.deptype = 'e') ORDER BY 1, 2"
        ):
            if table in self._without:
                continue
            for privilege, to in self._given(str(given or "")):
                yield f"GRANT {privilege} ({column}) ON TABLE {table} TO {to}"

    def _defaults(self) -> Iterator[str]:
        """Yield rights that objects get when they are created."""
        kinds = {"r": "TABLES", "S": "SEQUENCES", "f": "FUNCTIONS", "T": "TYPES", "n": "SCHEMAS"}
        for owner, schema, kind, given in self._server.rows(
            "SELECT pg_catalog.pg_get_userbyid(d.defaclrole), (SELECT "
            "pg_catalog.quote_ident(nspname) FROM pg_namespace n WHERE n.oid = d.defaclnamespace), "
            f"d.defaclobjtype, {_ACL.format(acl='d.defaclacl')} FROM pg_default_acl d "
            "ORDER BY 1, 2, 3"
        ):
            self.roles.add(str(owner))
            begin = f"ALTER DEFAULT PRIVILEGES FOR ROLE {quote_name(str(owner))}"
            begin += f" IN SCHEMA {schema}" if schema else ""
            objects = kinds.get(str(kind), "TABLES")
            if not schema:
                yield f"{begin} REVOKE ALL ON {objects} FROM PUBLIC"
                yield f"{begin} REVOKE ALL ON {objects} FROM {quote_name(str(owner))}"
            for privilege, to in self._given(str(given or "")):
                yield f"{begin} GRANT {privilege} ON {objects} TO {to}"
