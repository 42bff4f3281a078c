"""Makes the pictures of this folder from the demo data: ``make screenshots``."""

from __future__ import annotations

import base64
import logging
import os
import pty
import re
import shutil
import subprocess
import sys
import tempfile
import time
from io import StringIO
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright
from rich.console import Console
from rich.text import Text

from fasciculus.client import Client
from fasciculus.demo import scenario
from fasciculus.demo.__main__ import ADMINISTRATOR, PASSWORD, Demo
from fasciculus.models import AccountInput, InPlace, RestoreStart

HERE = Path(__file__).parent
SIZE = {"width": 1280, "height": 800}
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]
PAGES = {
    "overview": "/",
    "accounts": "/accounts",
    "account": "/accounts/bitternpress",
    "job": "/jobs/nightly",
    "run": "/runs/{run}",
    "restore": "/restores/{restore}",
    "store": "/stores/boathouse",
    "bundle": "/bundles/{bundle}?folder=sites%2Fbitternpress.example",
    "stores": "/stores",
    "host": "/hosts/reed-1",
    "coverage": "/coverage?sort=state",
    "discovery": "/hosts/reed-1/discovery",
    "calendar": "/calendar",
}
COMMANDS = {
    "cli-start": ["start", "nightly", "--wait"],
    "cli-status": ["status"],
    "cli-bundle": ["bundles", "show", "{bundle}"],
    "cli-verify": ["stores", "verify", "boathouse", "--deep"],
}


def main() -> None:
    logging.getLogger("paramiko").setLevel(logging.CRITICAL)
    with tempfile.TemporaryDirectory(prefix="heronmere-") as folder:
        demo = Demo(Path(folder))
        try:
            demo.start()
            with Client(demo.url, token=demo.kept.token) as client:
                scenario.touch_up(Path(folder) / "reed-1", 4)
                run = client.start("nightly").wait().id
                bundle = client.bundles_list(subject="bitternpress", job="nightly").items[0].id
                with sync_playwright() as playwright:
                    browser = playwright.chromium.launch(
                        executable_path="/usr/bin/chromium", args=FLAGS
                    )
                    for name, words in COMMANDS.items():
                        terminal(
                            browser, demo, name, [word.format(bundle=bundle) for word in words]
                        )
                    # One account without its home, so that the report has trouble to tell.
                    client.accounts_add(
                        AccountInput(
                            name="mossgate", host="reed-1", home=f"{folder}/reed-1/home/mossgate"
                        )
                    )
                    client.start("nightly").wait()
                    # And two that the host's rules will find.
                    for name in ("wickerwork", "heronwatch"):
                        root = Path(folder) / f"reed-1/home/{name}/public"
                        root.mkdir(parents=True)
                        (Path(folder) / f"reed-1/etc/nginx/{name}.conf").write_text(
                            f"server {{ server_name {name}.example; root {root}; }}\n"
                        )
                    spoil(client, Path(folder) / "boathouse")
                    numbers = {"run": run, "bundle": bundle}
                    numbers["restore"] = planned(client, Path(folder), bundle)
                    pages(browser, demo, client, numbers)
                    browser.close()
        finally:
            demo.stop()


def spoil(client: Client, store: Path) -> None:
    """Flip a bit in a piece, and have it found."""
    piece = max(
        store.rglob("accounts/millpond/pieces/*files*"), key=lambda path: path.stat().st_size
    )
    data = bytearray(piece.read_bytes())
    data[len(data) // 2] ^= 1
    piece.write_bytes(data)
    for number in client.stores_verify("boathouse", deep=True).ids:
        while client.maintenance_show(number).state != "ended":
            time.sleep(0.2)


def planned(client: Client, folder: Path, bundle: int) -> int:
    """Change a site as an intruder might, and plan to put it back; return the plan's number."""
    site = folder / "reed-1/home/bitternpress/sites/bitternpress.example"
    (site / "index.html").write_text("Hacked!\n")
    (site / "shell.php").write_text("<?php\n")
    shutil.rmtree(site / "news/2021", ignore_errors=True)
    start = RestoreStart(
        bundle=bundle,
        contents=["files"],
        paths=["sites/bitternpress.example"],
        in_place=InPlace(remove_extra=True),
        plan_only=True,
    )
    number = client.restores_start(start).id
    while client.restores_show(number).state != "ended":
        time.sleep(0.1)
    return number


def pages(browser: Browser, demo: Demo, client: Client, numbers: dict[str, int]) -> None:
    page = browser.new_context(viewport=SIZE, timezone_id="UTC").new_page()
    page.goto(f"{demo.url}/")
    page.get_by_label("Name").fill(ADMINISTRATOR)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("navigation", name="Pages").wait_for()
    for name, path in PAGES.items():
        page.goto(f"{demo.url}/#{path.format(**numbers)}")
        page.locator("main h1").first.wait_for(state="attached")
        page.wait_for_timeout(1200)
        page.screenshot(path=HERE / f"{name}.png")
    # The console's own page would let no styles of mail through.
    mails(browser.new_page(), client, demo.folder)


def mails(page: Page, client: Client, folder: Path) -> None:
    """Messages of each kind, side by side, as wide as a desktop shows them and as a phone does."""
    found = {"failed": client.jobs_report("nightly").html}
    found["done"] = _report(client, "settings-weekly")
    misbehaviour = folder / "misbehaviour/cellar.json"
    misbehaviour.write_text('{"full": true}')
    found["partial"] = _report(client, "shops-weekly")
    misbehaviour.write_text("{}")
    found["digest"] = client.templates_preview("digest.html").html
    damage = next(row for row in client.reports_list().items if row.kind == "maintenance")
    found["damage"] = client.reports_show(damage.id).html
    found["alert"] = client.templates_preview("alert.html").html
    for name, width, height, shown in (
        ("report-mails", 800, 620, 3),
        ("report-mails-phone", 390, 700, 6),
    ):
        page.set_viewport_size({"width": width, "height": height})
        pictures = []
        style = f"width:{100 / shown - 0.5:.2f}%;margin:2px;vertical-align:top"
        for kind in ("done", "partial", "failed", "digest", "damage", "alert"):
            page.set_content(found[kind])
            picture = base64.b64encode(page.screenshot()).decode()
            pictures.append(f'<img style="{style}" src="data:image/png;base64,{picture}">')
        page.set_viewport_size({"width": shown * 400, "height": 400})
        page.set_content(f'<body style="margin:4px;font-size:0">{"".join(pictures)}</body>')
        page.screenshot(path=HERE / f"{name}.png", full_page=True)


def _report(client: Client, job: str) -> str:
    client.start(job).wait()
    return client.jobs_report(job).html


def terminal(browser: Browser, demo: Demo, name: str, words: list[str]) -> None:
    """What a command shows in a terminal of 100 columns, drawn with its colours."""
    controller, end = pty.openpty()
    environment = {
        **os.environ,
        "FASCICULUS_URL": demo.url,
        "FASCICULUS_TOKEN": demo.kept.token,
        "TERM": "xterm-256color",
        "COLUMNS": "100",
        "LINES": "40",
    }
    program = Path(sys.executable).with_name("fasciculus")
    process = subprocess.Popen(
        [str(program), *words], env=environment, stdin=end, stdout=end, stderr=end
    )
    os.close(end)
    shown = b""
    while True:
        try:
            chunk = os.read(controller, 65536)
        except OSError:
            break
        if not chunk:
            break
        shown += chunk
    process.wait()
    console = Console(record=True, width=100, file=StringIO(), force_terminal=True)
    console.print(Text(f"$ fasciculus {' '.join(words)}", style="bold"))
    console.print(Text.from_ansi(final(shown.decode())))
    page = browser.new_context(viewport=SIZE).new_page()
    page.set_content(
        f"<body style='margin:0;background:#1b1814'>{console.export_svg(title='fasciculus')}</body>"
    )
    page.screenshot(path=HERE / f"{name}.png", clip={"x": 0, "y": 0, "width": 1264, "height": 560})


def final(text: str) -> str:
    """The screen after all redrawing: progress bars go up over themselves."""
    lines: list[str] = [""]
    row = 0
    for part in re.split(r"(\r\n|\n|\r|\x1b\[\d*A|\x1b\[2K|\x1b\[\?25[lh])", text):
        if part in ("\r\n", "\n"):
            row += 1
        elif part.endswith("A") and part.startswith("\x1b["):
            row = max(0, row - int(part[2:-1] or 1))
        elif part == "\x1b[2K":
            lines[row] = ""
        elif part in ("\r",) or part.startswith("\x1b[?25"):
            continue
        else:
            while len(lines) <= row:
                lines.append("")
            lines[row] = (lines[row] + part) if not part.startswith("\x1b[2K") else part
        while len(lines) <= row:
            lines.append("")
    return "\n".join(lines).rstrip()


if __name__ == "__main__":
    main()
