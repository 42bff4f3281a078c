"""Functions, procedures, aggregates, operators and their classes, casts and languages."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from .catalog import DbObject, Dependencies, Key
from .dialect import quote_name, sql_text
from .server import Server
from .types import OWN


def routines(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the functions and procedures, window functions included."""
    for number, name, made in server.rows(
        "SELECT p.oid, p.oid::regprocedure, pg_catalog.pg_get_functiondef(p.oid) FROM pg_proc p "
        f"JOIN pg_namespace n ON n.oid = p.pronamespace WHERE {OWN} AND p.prokind <> 'a' "
        "AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_proc'::regclass AND "
        "d.objid = p.oid AND d.deptype IN ('e', 'i')) ORDER BY 2"
    ):
        created = str(made).rstrip()
        yield DbObject("routine", str(name), [("pg_proc", int(number or 0))], [created])


_AGGREGATE = {
    "SFUNC": "a.aggtransfn::regproc",
    "STYPE": "pg_catalog.format_type(a.aggtranstype, NULL)",
    "SSPACE": "NULLIF(a.aggtransspace, 0)",
    "FINALFUNC": "NULLIF(a.aggfinalfn, 0)::regproc",
    "COMBINEFUNC": "NULLIF(a.aggcombinefn, 0)::regproc",
    "SERIALFUNC": "NULLIF(a.aggserialfn, 0)::regproc",
    "DESERIALFUNC": "NULLIF(a.aggdeserialfn, 0)::regproc",
    "INITCOND": "pg_catalog.quote_literal(a.agginitval)",
    "MSFUNC": "NULLIF(a.aggmtransfn, 0)::regproc",
    "MINVFUNC": "NULLIF(a.aggminvtransfn, 0)::regproc",
    "MSTYPE": "CASE WHEN a.aggmtranstype <> 0 THEN pg_catalog.format_type(a.aggmtranstype, NULL) "
    "END",
    "MSSPACE": "NULLIF(a.aggmtransspace, 0)",
    "MFINALFUNC": "NULLIF(a.aggmfinalfn, 0)::regproc",
    "MINITCOND": "pg_catalog.quote_literal(a.aggminitval)",
    "SORTOP": "CASE WHEN a.aggsortop <> 0 THEN 'OPERATOR(' || (SELECT "
    "pg_catalog.quote_ident(on_.nspname) || '.' || o.oprname FROM pg_operator o JOIN pg_namespace "
    "on_ ON on_.oid = o.oprnamespace WHERE o.oid = a.aggsortop) || ')' END",
}
_FINAL = {"r": "READ_ONLY", "s": "SHAREABLE", "w": "READ_WRITE"}


def aggregates(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the aggregates."""
    columns = ", ".join(_AGGREGATE.values())
    for number, name, arguments, kind, final, mfinal, parallel, extra, more, *values in server.rows(
        "SELECT p.oid, pg_catalog.quote_ident(n.nspname) || '.' || "
        "pg_catalog.quote_ident(p.proname), pg_catalog.pg_get_function_arguments(p.oid), "
        "a.aggkind, a.aggfinalmodify, a.aggmfinalmodify, p.proparallel, a.aggfinalextra, "
        f"a.aggmfinalextra, {columns} FROM pg_proc p JOIN pg_aggregate a ON a.aggfnoid = p.oid "
        f"JOIN pg_namespace n ON n.oid = p.pronamespace WHERE {OWN} ORDER BY 2, 3"
    ):
        if dependencies.is_of_extension("pg_proc", number):
            continue
        words = _given(_AGGREGATE, values)
        words += ["FINALFUNC_EXTRA"] if extra == "t" else []
        words += ["MFINALFUNC_EXTRA"] if more == "t" else []
        usual = "r" if kind == "n" else "w"
        words += [f"FINALFUNC_MODIFY = {_FINAL[str(final)]}"] if final != usual else []
        words += [f"MFINALFUNC_MODIFY = {_FINAL[str(mfinal)]}"] if mfinal != usual else []
        words += ["HYPOTHETICAL"] if kind == "h" else []
        words += ["PARALLEL = safe"] if parallel == "s" else []
        words += ["PARALLEL = restricted"] if parallel == "r" else []
        made = f"CREATE AGGREGATE {name}({arguments or '*'}) ({', '.join(words)})"
        yield DbObject("routine", f"{name}({arguments})", [("pg_proc", int(number or 0))], [made])


def _given(names: Iterable[str], values: Iterable[str | None]) -> list[str]:
    """Return options with their values, but for those without one."""
    pairs = zip(names, values, strict=True)
    return [f"{name} = {value}" for name, value in pairs if value is not None]


_OPERATOR = {
    "FUNCTION": "o.oprcode::regproc",
    "LEFTARG": "CASE WHEN o.oprleft <> 0 THEN o.oprleft::regtype::text END",
    "RIGHTARG": "CASE WHEN o.oprright <> 0 THEN o.oprright::regtype::text END",
    "COMMUTATOR": "CASE WHEN o.oprcom <> 0 THEN 'OPERATOR(' || (SELECT "
    "pg_catalog.quote_ident(m.nspname) || '.' || c.oprname FROM pg_operator c JOIN pg_namespace m "
    "ON m.oid = c.oprnamespace WHERE c.oid = o.oprcom) || ')' END",
    "NEGATOR": "CASE WHEN o.oprnegate <> 0 THEN 'OPERATOR(' || (SELECT "
    "pg_catalog.quote_ident(m.nspname) || '.' || c.oprname FROM pg_operator c JOIN pg_namespace m "
    "ON m.oid = c.oprnamespace WHERE c.oid = o.oprnegate) || ')' END",
    "RESTRICT": "NULLIF(o.oprrest, 0)::regproc",
    "JOIN": "NULLIF(o.oprjoin, 0)::regproc",
}


def operators(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the operators."""
    columns = ", ".join(_OPERATOR.values())
    for number, name, can_hash, can_merge, *values in server.rows(
        "SELECT o.oid, pg_catalog.quote_ident(n.nspname) || '.' || o.oprname, o.oprcanhash, "
        f"o.oprcanmerge, {columns} FROM pg_operator o JOIN pg_namespace n ON "
        f"n.oid = o.oprnamespace WHERE {OWN} AND o.oprcode <> 0 ORDER BY 2, o.oid"
    ):
        if dependencies.is_of_extension("pg_operator", number):
            continue
        words = _given(_OPERATOR, values)
        words += ["HASHES"] if can_hash == "t" else []
        words += ["MERGES"] if can_merge == "t" else []
        made = f"CREATE OPERATOR {name} ({', '.join(words)})"
        yield DbObject("operator", str(name), [("pg_operator", int(number or 0))], [made])


def operator_classes(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the operator families and classes, each class with its members."""
    members: dict[str, list[str]] = {}
    for family, words in server.rows(
        "SELECT amopfamily, 'OPERATOR ' || amopstrategy || ' ' || amopopr::regoperator || "
        "CASE WHEN amopsortfamily <> 0 THEN ' FOR ORDER BY ' || (SELECT "
        "pg_catalog.quote_ident(n.nspname) || '.' || pg_catalog.quote_ident(f.opfname) FROM "
        "pg_opfamily f JOIN pg_namespace n ON n.oid = f.opfnamespace WHERE f.oid = "
        "amopsortfamily) ELSE '' END FROM pg_amop UNION ALL SELECT amprocfamily, 'FUNCTION ' || "
        "amprocnum || ' (' || amproclefttype::regtype || ', ' || amprocrighttype::regtype || ') ' "
        "|| amproc::regprocedure FROM pg_amproc ORDER BY 1, 2"
    ):
        members.setdefault(str(family), []).append(str(words))
    given: set[str] = set()
    for row in server.rows(
        "SELECT c.oid, pg_catalog.quote_ident(n.nspname) || '.' || "
        "pg_catalog.quote_ident(c.opcname), CASE WHEN c.opcdefault THEN 'DEFAULT ' ELSE '' END, "
        "c.opcintype::regtype, pg_catalog.quote_ident(m.amname), f.oid, "
        "pg_catalog.quote_ident(fn.nspname) || '.' || pg_catalog.quote_ident(f.opfname), CASE "
        "WHEN c.opckeytype <> 0 THEN c.opckeytype::regtype::text ELSE '' END FROM pg_opclass c "
        "JOIN pg_namespace n ON n.oid = c.opcnamespace JOIN pg_am m ON m.oid = c.opcmethod JOIN "
        "pg_opfamily f ON f.oid = c.opcfamily JOIN pg_namespace fn ON fn.oid = f.opfnamespace "
        f"WHERE {OWN} ORDER BY 2"
    ):
        number, name, default, type_, method, family, family_name, key_type = map(str, row)
        if dependencies.is_of_extension("pg_opclass", number):
            continue
        made, parts = list[str](), [f"STORAGE {key_type}"] if key_type else []
        if family not in given and not dependencies.is_of_extension("pg_opfamily", family):
            made.append(f"CREATE OPERATOR FAMILY {family_name} USING {method}")
            parts = [*members.get(family, []), *parts]
        given.add(family)
        made.append(
            f"CREATE OPERATOR CLASS {name} {default}FOR TYPE {type_} USING {method} FAMILY "
            f"{family_name} AS {', '.join(parts or [f'STORAGE {type_}'])}"
        )
        keys: list[Key] = [("pg_opclass", int(number)), ("pg_opfamily", int(family))]
        yield DbObject("operator", f"{name} class", keys, made)


def casts(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the casts."""
    contexts = {"a": " AS ASSIGNMENT", "i": " AS IMPLICIT"}
    for number, source, target, method, function, context in server.rows(
        "SELECT oid, castsource::regtype, casttarget::regtype, castmethod, "
        "CASE WHEN castfunc <> 0 THEN castfunc::regprocedure::text END, castcontext FROM pg_cast "
        "WHERE oid >= 16384 AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = "
        "'pg_cast'::regclass AND d.objid = pg_cast.oid AND d.deptype = 'i') ORDER BY 2, 3"
    ):
        if dependencies.is_of_extension("pg_cast", number):
            continue
        how = {"i": "WITH INOUT", "b": "WITHOUT FUNCTION"}.get(
            str(method), f"WITH FUNCTION {function}"
        )
        name = f"({source} AS {target})"
        made = f"CREATE CAST {name} {how}{contexts.get(str(context), '')}"
        yield DbObject("cast", name, [("pg_cast", int(number or 0))], [made])


def languages(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the languages that no extension brings."""
    for number, name, trusted, handler, inline, validator in server.rows(
        "SELECT oid, lanname, lanpltrusted, lanplcallfoid::regproc, NULLIF(laninline, 0)::regproc, "
        "NULLIF(lanvalidator, 0)::regproc FROM pg_language WHERE lanispl AND oid >= 16384"
    ):
        if dependencies.is_of_extension("pg_language", number):
            continue
        made = f"CREATE {'TRUSTED ' if trusted == 't' else ''}LANGUAGE {quote_name(str(name))}"
        made += f" HANDLER {handler}"
        made += f" INLINE {inline}" if inline else ""
        made += f" VALIDATOR {validator}" if validator else ""
        yield DbObject("language", str(name), [("pg_language", int(number or 0))], [made])


def conversions(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the conversions between encodings."""
    for row in server.rows(
        "SELECT c.oid, pg_catalog.quote_ident(n.nspname) || '.' || "
        "pg_catalog.quote_ident(c.conname), CASE WHEN c.condefault THEN 'DEFAULT ' ELSE '' END, "
        "pg_catalog.pg_encoding_to_char(c.conforencoding), "
        "pg_catalog.pg_encoding_to_char(c.contoencoding), c.conproc::regproc FROM pg_conversion c "
        f"JOIN pg_namespace n ON n.oid = c.connamespace WHERE {OWN} ORDER BY 2"
    ):
        number, name, default, source, target, function = map(str, row)
        if dependencies.is_of_extension("pg_conversion", number):
            continue
        made = (
            f"CREATE {default}CONVERSION {name} FOR {sql_text(source)} TO {sql_text(target)} FROM "
            f"{function}"
        )
        yield DbObject("cast", name, [("pg_conversion", int(number))], [made])
