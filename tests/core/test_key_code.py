"""The code of the recovery sheet."""

from __future__ import annotations

import base64

import pytest
from cryptography.fernet import Fernet
from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core.errors import SettingError
from fasciculus.core.recovery.key_code import check_group, key_code, key_of

keys = st.binary(min_size=32, max_size=32).map(base64.urlsafe_b64encode)


@given(keys)
def test_a_code_is_typed_back_in_any_form(key: bytes) -> None:
    code = key_code(key)
    assert [len(group) for group in code.split("-")] == [4] * 14
    assert code.endswith(check_group(key))
    for typed in (code, code.lower(), code.replace("-", " "), code.replace("O", "0")):
        assert key_of(typed) == key
    assert key_of(f"\n {code.replace('I', '1').replace('B', '8')} ") == key


@given(keys, st.data())
def test_a_mistyped_code_is_noticed(key: bytes, data: st.DataObject) -> None:
    code = key_code(key).replace("-", "")
    at = data.draw(st.integers(0, len(code) - 1))
    others = [c for c in "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567" if c != code[at]]
    other = data.draw(st.sampled_from(others))
    with pytest.raises(SettingError):
        key_of(code[:at] + other + code[at + 1 :])


def test_what_is_no_code_says_why() -> None:
    code = key_code(Fernet.generate_key())
    with pytest.raises(SettingError, match="52 characters, not 56"):
        key_of(code[:-5])
    with pytest.raises(SettingError, match="a character that no code has"):
        key_of("ä" + code[1:])
