"""Names and values in SQL."""

import pytest

from fasciculus.core.dump.literals import Column, escaped, quote_name
from fasciculus.core.dump.mariadb import Member, safe_file


@pytest.mark.parametrize(
    ("column", "value", "literal"),
    [
        (Column("a", "longtext", "utf8mb4"), None, b"NULL"),
        (Column("a", "double"), b"1.5", b"1.5"),
        (Column("a", "longblob"), b"\0'\\\n\r\x1a\xff", b"_binary '\\0\\'\\\\\\n\\r\\Z\xff'"),
        (Column("a", "longtext", "utf8mb4"), "grün'".encode(), "'grün\\''".encode()),
        (Column("a", "text", "koi8r"), b"\xc6", b"_koi8r '\xc6'"),
    ],
)
def test_values_escaped_here(column, value, literal):
    assert escaped(column, value) == literal


def test_names_in_sql_and_in_files():
    assert quote_name("odd`name") == "`odd``name`"
    assert safe_file("shop/../ü") == "shop%2F%2E%2E%2F%C3%BC"
    assert Member("a", b"").name == "a"
