"""Lists that sort, filter and page in the database, by cursor."""

from __future__ import annotations

import base64
import binascii
import json
import sqlite3
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any, TypeVar

from ..core.errors import SettingError
from ..models.paging import Page
from ..models.queries import PageQuery

S = TypeVar("S")
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class PageRequest:
    """A request for a page of a list: at most ``limit`` rows after ``cursor``."""

    sort: str = ""
    limit: int = 50
    cursor: str | None = None


def page_request(query: PageQuery) -> PageRequest:
    """Return the paging part of a query of the API."""
    return PageRequest(query.sort, query.limit, query.cursor)


@dataclass(slots=True)
class Query:
    """A list's SQL: ``columns FROM source WHERE …``; ``key`` is its unique integer column.

    ``sorts`` maps the names that callers may sort by to SQL expressions that are never NULL.
    """

    columns: str
    source: str
    key: str
    sorts: dict[str, str]
    default_sort: str
    where: list[str] = field(default_factory=list)
    values: list[Any] = field(default_factory=list)
    #: The values of placeholders among the columns.
    column_values: list[Any] = field(default_factory=list)

    def only(self, condition: str, *values: Any) -> None:
        """Add a condition."""
        self.where.append(condition)
        self.values.extend(values)

    @property
    def condition(self) -> str:
        """Return all conditions as one."""
        return " AND ".join(f"({c})" for c in self.where) or "1"


def like(text: str) -> str:
    """Return a LIKE pattern that finds the text anywhere; to be used with ``ESCAPE '\\'``."""
    escaped = text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return f"%{escaped}%"


def page(
    db: sqlite3.Connection, query: Query, paging: PageRequest, make: Callable[[sqlite3.Row], T]
) -> Page[T]:
    """Return one page of the query's rows. A sort of ``-name`` runs backwards."""
    sort = paging.sort or query.default_sort
    backwards = sort.startswith("-")
    expression = query.sorts.get(sort.lstrip("-"))
    if expression is None:
        raise SettingError(
            f"This list cannot be sorted by “{sort.lstrip('-')}”.",
            f"Choose one of {', '.join(query.sorts)}.",
            field="sort",
        )
    conditions = query.condition
    total = db.execute(
        f"SELECT count(*) FROM {query.source} WHERE {conditions}", query.values
    ).fetchone()[0]
    values = list(query.values)
    if paging.cursor:
        last, key = _read_cursor(paging.cursor)
        sign = "<" if backwards else ">"
        conditions += f" AND ({expression}, {query.key}) {sign} (?, ?)"
        values += [last, key]
    direction = "DESC" if backwards else "ASC"
    rows = db.execute(
        f"SELECT {query.columns}, {expression} AS _sort, {query.key} AS _key FROM {query.source} "
        f"WHERE {conditions} ORDER BY {expression} {direction}, {query.key} {direction} LIMIT ?",
        [*query.column_values, *values, paging.limit + 1],
    ).fetchall()
    following = None
    if len(rows) > paging.limit:
        rows = rows[: paging.limit]
        following = _cursor(rows[-1]["_sort"], rows[-1]["_key"])
    return Page(items=[make(row) for row in rows], total=total, next=following)


def page_of(
    rows: list[T], paging: PageRequest, sorts: dict[str, Callable[[T], Any]], default: str
) -> Page[T]:
    """Return one page of rows that are at hand; the cursor is a place in the sorted list."""
    sort = paging.sort or default
    key = sorts.get(sort.lstrip("-"))
    if key is None:
        raise SettingError(
            f"This list cannot be sorted by “{sort.lstrip('-')}”.",
            f"Choose one of {', '.join(sorts)}.",
            field="sort",
        )
    ordered = sorted(rows, key=key, reverse=sort.startswith("-"))
    start = _read_cursor(paging.cursor)[1] if paging.cursor else 0
    end = start + paging.limit
    return Page(
        items=ordered[start:end],
        total=len(rows),
        next=_cursor(None, end) if end < len(ordered) else None,
    )


def page_counted(rows: Iterable[S], paging: PageRequest, make: Callable[[S], T]) -> Page[T]:
    """Return one page of a stream of rows, in their own order; the rest is counted."""
    start = _read_cursor(paging.cursor)[1] if paging.cursor else 0
    items, total = [], 0
    for row in rows:
        if start <= total < start + paging.limit:
            items.append(make(row))
        total += 1
    end = start + len(items)
    return Page(items=items, total=total, next=_cursor(None, end) if end < total else None)


def _cursor(last: Any, key: int) -> str:
    return base64.urlsafe_b64encode(json.dumps([last, key]).encode()).decode()


def _read_cursor(cursor: str) -> tuple[Any, int]:
    try:
        last, key = json.loads(base64.urlsafe_b64decode(cursor))
        return last, int(key)
    except (ValueError, TypeError, binascii.Error) as error:
        raise SettingError(
            "The cursor cannot be read.", "Start the list again.", field="cursor"
        ) from error
