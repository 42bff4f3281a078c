"""Statements that mean the same to every client and server they pass through.

Text of database users can be read in more than one way: a character set whose letters may end in a
backslash, a ``sql_mode`` in which a backslash or a double quote means something else, a line that a
command-line client takes for a command of its own. So a statement that is not plain is written as
a hexadecimal literal that the server itself prepares: nobody on the way reads what is in it.
"""

from __future__ import annotations

import re

from .dialect import SETTINGS
from .literals import quote_name

#: Nothing in it can be taken for an escape, a comment, another quote, another statement, or a
#: command of a client.
_PLAIN = re.compile(
    rb"(?:(?!--|/\*|\n\s*delimiter)[\n\x20-\x21\x24-\x3a\x3c-\x5b\x5d-\x7e])*", re.I
)
_CHARACTER_SET = re.compile(r"[a-z0-9_]{1,64}")
#: The mode in which a backslash is a letter like others.
NO_ESCAPES = "NO_BACKSLASH_ESCAPES"
_SQL_MODE = re.compile(r"[A-Z0-9_,]*")


def is_plain(statement: bytes) -> bool:
    """Return whether every client reads a statement alike."""
    return _PLAIN.fullmatch(statement) is not None


def written(statement: bytes) -> bytes:
    """Return a statement for a member, with its end: plain if possible, otherwise prepared."""
    return statement + b";\n" if is_plain(statement) else prepared(statement)


def prepared(statement: bytes) -> bytes:
    """Return statements that make the server run one that is written as a literal.

    The server takes a binary literal for the bytes that a client would have sent.
    """
    return (
        b"SET @fasciculus=x'%s';\nPREPARE fasciculus FROM @fasciculus;\nEXECUTE fasciculus;\n"
        b"DEALLOCATE PREPARE fasciculus;\n" % statement.hex().encode()
    )


def delimited(statement: bytes) -> bytes:
    """Return a statement between delimiters that do not occur in it.

    For servers that prepare no stored programs (MySQL, MariaDB before 10.6); the text is UTF-8.
    """
    number, mark = 0, b"//"
    while mark in statement:
        number += 1
        mark = b"//%d//" % number
    return b"DELIMITER %s\n%s\n%s\nDELIMITER ;\n" % (mark, statement, mark)


def as_client(
    statement: bytes, sql_mode: str = "", charset: str = "", collation: str = "", zone: str = ""
) -> bytes:
    """Return a written statement under the settings of the client that made it, which end with it.

    A setting that is not a plain word is left at its default.
    """
    mode = sql_mode if _SQL_MODE.fullmatch(sql_mode) else ""
    letters = charset if _CHARACTER_SET.fullmatch(charset) else "utf8mb4"
    order = collation if _CHARACTER_SET.fullmatch(collation) else "utf8mb4_general_ci"
    lines = [
        f"SET sql_mode='{mode}';\n".encode(),
        f"SET character_set_client={letters};\n".encode(),
        f"SET collation_connection={order};\n".encode(),
    ]
    if re.fullmatch(r"[A-Za-z0-9_+:/-]{1,64}", zone):
        lines.append(f"SET time_zone='{zone}';\n".encode())
    return b"".join([*lines, statement, SETTINGS])


def commented(kind: str, name: str, comment: str, sql_mode: str) -> bytes:
    """Return the statement that sets a program's comment, which its own text could not contain.

    It runs under the program's own mode, which some versions would change with the comment.
    """
    if NO_ESCAPES not in sql_mode:
        comment = comment.replace("\\", "\\\\")
    quoted = comment.replace("'", "''")
    statement = f"ALTER {kind} {quote_name(name)} COMMENT '{quoted}'".encode()
    return as_client(prepared(statement), sql_mode)
