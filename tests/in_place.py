"""A tree, its bundle, and what restores it in place, on whichever host."""

from __future__ import annotations

import io
import os
import random
import shutil
import threading
from typing import Any

import msgspec
from nights import made
from trees import awkward_tree, picture

from fasciculus.contracts.events import Log, from_line
from fasciculus.contracts.orders import RestoreOrder
from fasciculus.core.restore.plan_line import PlanLine
from fasciculus.hosts.local import LocalHost
from fasciculus.hosts.side_folder import NAME
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.restore.in_place.side import SideTask
from fasciculus.worker.restore.task import RestoreTask

SIDE = "restore-1"


def bundled(nights: Any) -> Any:
    """Return the nights with a bundle of an awkward tree."""
    shutil.rmtree(nights.tree)
    awkward_tree(nights.root)
    (nights.root / "tree/site").mkdir()
    for name in ("index.php", "style.css", "about.html"):
        (nights.root / "tree/site" / name).write_text(f"{name} as it was\n")
    assert nights.tree == nights.root / "tree"
    nights.night()
    return nights


def subject(nights: Any) -> Any:
    root = str(nights.tree)
    return {"kind": "account", "name": "millpond", "host": "", "root": root, "home": root}


def host_of(nights: Any) -> Any:
    """This machine, or the host that a test has set."""
    return getattr(nights, "host", None) or LocalHost()


def kept_folder(nights: Any) -> str:
    return str(nights.root / "set-aside")


def restore(nights: Any, side: Any = SIDE, recorded: Any = (), **more: Any) -> Any:
    """Restore the newest bundle in place; return the result, the plan and the log."""
    *_, name = sorted(nights.known)
    plan = nights.root / "plan.jsonl"
    options = {
        key: more.pop(key) for key in list(more) if key not in ("paths", "contents", "owners")
    }
    order = made(
        RestoreOrder,
        {
            "subject": subject(nights),
            "bundle": name,
            "store": {**nights.store_order("attic"), "recorded": list(recorded)},
            "contents": ["files", "databases"],
            "target": "",
            "spool": str(nights.root / "spool4"),
            "special_modes": True,
            "in_place": {"side": side, "plan": str(plan), "kept": kept_folder(nights), **options},
            **more,
        },
    )
    raw = io.BytesIO()
    found = RestoreTask(order, host_of(nights), Emitter(raw), threading.Event()).run()
    log = [e.text for e in map(from_line, raw.getvalue().splitlines()) if isinstance(e, Log)]
    with plan.open("rb") as lines:
        return found, [msgspec.json.decode(line, type=PlanLine) for line in lines], log


def side_order(nights: Any, kind: Any, **more: Any) -> Any:
    order = made(
        kind,
        {
            "subject": subject(nights),
            "side": SIDE,
            "kept": kept_folder(nights),
            "spool": str(nights.root / "spool5"),
            **more,
        },
    )
    return SideTask(order, host_of(nights), Emitter(io.BytesIO())).run()


def sides(nights: Any) -> Any:
    folder = nights.root / os.fsdecode(NAME)
    return sorted(os.listdir(folder)) if folder.exists() else []


def remove(path: Any) -> None:
    if path.is_symlink() or not path.is_dir():
        path.unlink()
    else:
        shutil.rmtree(path)


def disturb(tree: Any, seed: Any) -> None:
    """Change a tree in many ways, as its owner and an intruder might."""
    chance = random.Random(seed)
    paths = sorted(p for p in tree.rglob("*") if len(os.fsencode(p)) < 3000)
    for path in chance.sample(paths, min(12, len(paths))):
        if not os.path.lexists(path):
            continue
        is_file = not path.is_symlink() and path.is_file()
        match chance.randrange(8):
            case 0:
                remove(path)
            case 1 if is_file:
                path.write_bytes(b"hacked " * chance.randrange(1, 2000))
            case 2 if not path.is_symlink():
                path.chmod(chance.choice((0o700, 0o755, 0o4755, 0o640)))
            case 3:
                os.lchown(path, chance.randrange(5000), chance.randrange(5000))
            case 4:
                remove(path)
                path.symlink_to("/etc/passwd")
            case 5:
                remove(path)
                path.mkdir()
                (path / "new").write_text("inside")
            case 6:
                (path.parent / f"extra-{chance.randrange(99)}").write_text("extra")
                (path.parent / f"extra-folder-{chance.randrange(99)}").mkdir(exist_ok=True)
            case 7 if is_file:
                os.utime(path, ns=(chance.randrange(10**18), chance.randrange(10**18)))


def changes(kept: Any) -> Any:
    (kept.tree / "site/index.php").write_text("hacked\n")
    (kept.tree / "site/style.css").unlink()
    (kept.tree / "extra").mkdir()
    (kept.tree / "extra/file").write_text("x")
    (kept.tree / "plain").chmod(0o600)
    shutil.rmtree(kept.tree / "empty-folder")
    (kept.tree / "empty-folder").write_text("a file now")
    return picture(kept.tree)
