"""Statements of a dump, taken apart."""

from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core.dump.loader import load, statements

LITERALS = st.binary(max_size=30).map(
    lambda b: b"'" + b.replace(b"\\", b"\\\\").replace(b"'", b"\\'") + b"'"
)


@given(st.lists(st.lists(LITERALS, min_size=1, max_size=5), max_size=8))
def test_statements_are_cut_only_where_they_end(rows):
    wanted = [b"INSERT INTO `a;'b` VALUES (" + b",".join(row) + b")" for row in rows]
    member = b"-- it's a comment;\n" + b"".join(w + b";\n" for w in wanted)
    found = list(statements(member))
    assert [f.removeprefix(b"-- it's a comment;\n") for f in found] == (
        wanted or [b"-- it's a comment;"]
    )


def test_delimiters_and_the_last_statement():
    member = (
        b"SET sql_mode='';\nDELIMITER //\nCREATE TRIGGER t BEGIN SET @a = ';'; "
        b"END\n//\nDELIMITER ;\n"
        b"SELECT /* ; */ 1"
    )
    found: list[bytes] = []
    assert load(iter([member]), found.append) == 3
    assert found == [
        b"SET sql_mode=''",
        b"CREATE TRIGGER t BEGIN SET @a = ';'; END",
        b"SELECT /* ; */ 1",
    ]
