"""The lines of a system user in a bundle, which may be anybody's."""

from __future__ import annotations

import pytest

from fasciculus.core.errors import DamagedError
from fasciculus.core.system_user import system_user


@pytest.mark.parametrize(
    "line",
    [
        "root:x:0:0::/root:/bin/sh",
        "pot:x:0:0::/home/pot:/bin/sh",
        "pot:x:1001:1001::home:/bin/sh",
        "pot:x:1001:1001::/home/pot:/bin/sh;id",
        "pot:x:1001:1001::/home/pot:/bin/sh\nroot2:x:0:0::/:/bin/sh",
        "pot:x:1e3:1001::/home/pot:/bin/sh",
        "pot:x:1001:0::/home/pot:/bin/sh",
        "pot:x:1001:2147483648::/home/pot:/bin/sh",
        "pot:x:1001:1001:a\x07b:/home/pot:/bin/sh",
        "pot:x:1001:1001::/home/pot",
        "kiln:x:1001:1001::/home/pot:/bin/sh",
        "pot:x:1001:1001::/home/pot\n/x:/bin/sh",
        "pot:x:١:1001::/home/pot:/bin/sh",
        "",
    ],
)
def test_a_line_that_could_mean_another_user_is_refused(line: str) -> None:
    with pytest.raises(DamagedError):
        system_user("pot", line, "")
    good = system_user("pot", "pot:x:1001:1002:Potter:/home/pot:/bin/sh\n", "pot:$y$j9T$a:1::::::")
    assert (good.uid, good.gid, good.password) == (1001, 1002, "$y$j9T$a")
    for shadow in ("pot:a\nb:1", "root:$6$a:1", "pot", ""):
        assert system_user("pot", "pot:x:1:2::/h:/bin/sh", shadow).password == ""
