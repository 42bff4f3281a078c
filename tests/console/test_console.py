"""The console in headless Chromium, as its users would."""

from __future__ import annotations

import os
import re
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
import pytest
from gate import Gate
from playwright.sync_api import Page, expect, sync_playwright
from running import (
    PASSWORD,
    Service,
    folder_stores,
    run,
    service,
    set_up,
    sftp_store,
    small_account,
    until,
)

from fasciculus.core.restore.restore_kind import SetAside
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import AccountInput, Site, StoreInput

# A busy machine may take its time; what is tested is that it comes, not how soon.
expect.set_options(timeout=20_000)
ROOT = Path(__file__).parents[2]
AXE = ROOT / "console/node_modules/axe-core/axe.min.js"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


@pytest.fixture(scope="module")
def browser() -> Iterator[Any]:
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield found
        found.close()


@pytest.fixture
def page(browser: Any) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, timezone_id="UTC")
    found = context.new_page()
    found.set_default_timeout(20_000)
    errors = []
    found.on("pageerror", lambda error: errors.append(str(error)))
    yield found
    context.close()
    assert errors == []


AXE_FAULTS = """async () => {
  const rules = ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'];
  const found = (await axe.run({runOnly: rules})).violations;
  const node = (n) => n.target + ' ' + n.failureSummary;
  return found.map((v) => v.id + ': ' + v.nodes.slice(0, 3).map(node).join(' | '));
}"""


def sign_in(page: Page, running: Service) -> None:
    page.goto(f"{running.url}/")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("navigation", name="Pages")).to_be_visible()


def check_access(page: Page, name: str) -> None:
    """WCAG 2.2 AA, as far as axe can tell."""
    page.evaluate(AXE.read_text())
    found = page.evaluate(AXE_FAULTS)
    assert found == [], f"{name}: {found}"


@pytest.mark.xdist_group("console")
def test_damage_is_shown_repaired_and_changes_are_listed(
    running: Service, page: Page, tmp_path: Path
) -> None:
    for store in ("attic", "cellar"):
        (tmp_path / store).mkdir()
    account = small_account(tmp_path, "millpond")
    stores = [
        StoreInput(name=name, settings={"kind": "folder", "folder": str(tmp_path / name)})
        for name in ("attic", "cellar")
    ]
    with running.client() as client:
        set_up(client, [account], stores, mode="incremental")
        run(client, "nightly")
        (tmp_path / "millpond/spring.html").write_text("spring")
        number = run(client, "nightly").id
        bundle = client.bundles_list().items[0]
        oldest = client.bundles_list(sort="moment").items[0].name
        (first,) = (tmp_path / "attic/accounts/millpond/pieces").glob(f"{oldest}.files-*")
        kept = (tmp_path / "cellar/accounts/millpond/pieces" / first.name).rename(tmp_path / "kept")
        first.unlink()
    sign_in(page, running)
    page.goto(f"{running.url}/#/runs/{number}")
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url))
    page.get_by_role("link", name="1 new, 0 changed, 0 gone").click()
    expect(page.get_by_role("region", name="Changes")).to_contain_text("files/spring.html")
    page.get_by_role("button", name="Differing lines of spring.html").click()
    expect(page.get_by_role("region", name="Differing lines")).to_contain_text("+spring")
    check_access(page, "changes")
    # A list is asked for when it is opened, and not again because it has arrived.
    assert len([url for url in asked if "/changes" in url]) <= 2, asked
    page.get_by_label("Any state").select_option("gone")
    expect(page.get_by_text("Nothing changed since")).to_be_visible()
    assert "state=gone" in page.url
    page.goto(f"{running.url}/#/stores/attic")
    page.get_by_role("button", name="Deep verify").click()
    expect(page.get_by_text("It affects")).to_be_visible()
    page.get_by_text("Affected bundles and files").click()
    expect(page.get_by_text("files/page-1.html")).to_be_visible()
    check_access(page, "damage")
    kept.rename(tmp_path / "cellar/accounts/millpond/pieces" / first.name)
    expect(page.get_by_text("found intact on no other store")).to_be_visible()
    page.get_by_role("button", name=f"Repair pieces/{first.name}").click()
    expect(page.get_by_text("1 file repaired")).to_be_visible()
    expect(page.get_by_text("It affects")).to_have_count(0)
    first.unlink()
    page.get_by_role("button", name="Quick verify").click()
    expect(page.get_by_text("1 file repaired")).to_have_count(2)
    kept_again = tmp_path / "cellar/accounts/millpond/pieces" / first.name
    assert kept_again.read_bytes() == first.read_bytes()
    for path in (first, kept_again):
        path.unlink()
    page.get_by_role("button", name="Quick verify").click()
    expect(page.get_by_text("It affects")).to_be_visible()
    page.goto(f"{running.url}/#/bundles/{bundle.id}")
    expect(page.get_by_text("■ damaged")).to_be_visible()
    page.goto(f"{running.url}/#/")
    expect(page.get_by_text("is missing or altered")).to_be_visible()
    page.goto(f"{running.url}/#/accounts/millpond")
    expect(page.get_by_role("heading", name="Growth")).to_be_visible()
    check_access(page, "growth")


@pytest.mark.xdist_group("console")
def test_from_an_empty_console_to_a_restored_bundle(
    running: Service, stand_in: SftpStandIn, page: Page, tmp_path: Path
) -> None:
    (stand_in.root / "bundles").mkdir()
    account = small_account(tmp_path, "millpond")
    page.goto(f"{running.url}/")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("The name or the password is wrong.")
    sign_in(page, running)
    expect(page.get_by_text("No job yet: nothing is protected")).to_be_visible()

    page.goto(f"{running.url}/#/accounts")
    page.get_by_role("link", name="Add a host").click()
    page.get_by_label("Name", exact=True).fill("reed-1")
    page.get_by_role("button", name="Try and save").click()
    expect(page.get_by_role("link", name="reed-1")).to_be_visible()

    page.get_by_role("link", name="Add one").click()
    page.get_by_label("Name").fill("Mill Pond")
    expect(page.get_by_role("alert")).to_contain_text("Use small letters")
    page.get_by_label("Name").fill("millpond")
    page.get_by_label("Home folder").fill(account.home)
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("heading", name="millpond")).to_be_visible()

    page.goto(f"{running.url}/#/stores/new")
    page.get_by_label("Name").fill("boathouse")
    page.get_by_label("Address").fill("127.0.0.1")
    page.get_by_label("Port").fill(str(stand_in.port))
    page.get_by_label("Folder on the server").fill("/bundles")
    page.get_by_label("User").fill("fasciculus")
    page.get_by_label("Password").fill(stand_in.password)
    page.get_by_role("button", name="Test", exact=True).click()
    page.get_by_role("button", name="Accept this host key").click()
    expect(page.get_by_text("All steps succeed")).to_be_visible()
    page.get_by_role("button", name="Try and save").click()
    expect(page.get_by_role("link", name="boathouse")).to_be_visible()

    page.goto(f"{running.url}/#/jobs/new")
    page.get_by_label("Name", exact=True).fill("nightly")
    page.get_by_label("Timetable", exact=True).fill("daily 26:00")
    expect(page.get_by_role("alert")).to_contain_text("“26:00” is not a time of day")
    page.get_by_label("Timetable", exact=True).fill("by hand")
    page.get_by_label("Copies kept on each store").fill("5")
    page.get_by_text("Includes and excludes").click()
    page.get_by_label("caches").check()
    page.get_by_label("Also exclude").fill("*.bak\n!")
    expect(page.get_by_role("alert")).to_contain_text("“!” is not a pattern")
    page.get_by_label("Also exclude").fill("*.bak\n")
    page.get_by_role("button", name="Measure").click()
    expect(page.get_by_test_id("preview")).to_contain_text("4 entries")
    summary = page.get_by_test_id("summary")
    expect(summary).to_contain_text(
        "it bundles files (without caches and what 1 pattern matches), databases, mail "
        "settings and system settings of all accounts "
        "(1 now) to boathouse"
    )
    expect(summary).to_contain_text("keeps the newest 5 copies")
    expect(page.get_by_text("Nobody is notified if it fails")).to_be_visible()
    page.get_by_role("button", name="Save and start now").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("1 bundle of")
    expect(page.get_by_role("log")).to_contain_text("making 20")

    page.goto(f"{running.url}/#/bundles")
    page.get_by_role("link", name=re.compile("-nightly")).click()
    expect(page.get_by_role("cell", name="page-1.html", exact=True)).to_be_visible()
    page.get_by_label("Find by name").fill("page-2")
    expect(page.get_by_role("cell", name="page-1.html", exact=True)).to_have_count(0)
    expect(page).to_have_url(re.compile("q=page-2"))
    page.reload()
    expect(page.get_by_label("Find by name")).to_have_value("page-2")
    with page.expect_download() as download:
        page.get_by_role("link", name="Download as tar.gz").click()
    assert download.value.suggested_filename.startswith("millpond-20")
    page.get_by_role("button", name="Restore", exact=True).first.click()
    page.get_by_label("An empty folder").check()
    page.get_by_label("Target folder on the service").fill(account.home)
    page.locator("form").get_by_role("button", name="Restore").click()
    expect(page.get_by_role("alert").first).to_contain_text("is not empty")
    page.get_by_label("Target folder on the service").fill(str(tmp_path / "back"))
    page.locator("form").get_by_role("button", name="Restore").click()
    expect(page.get_by_role("heading", name="Restore 1 of millpond")).to_be_visible()
    expect(page.get_by_text("done")).to_be_visible()
    assert (tmp_path / "back/files/page-1.html").exists()

    one = tmp_path / "millpond/page-1.html"
    saved = one.read_text()
    one.write_text("hacked")
    page.goto(f"{running.url}/#/bundles")
    page.get_by_role("link", name=re.compile("-nightly")).first.click()
    page.get_by_role("button", name="Restore", exact=True).first.click()
    page.get_by_role("button", name="Show the plan").click()
    expect(page.get_by_role("heading", name="Restore plan 2 of millpond")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("replace page-1.html"))).to_be_visible()
    assert one.read_text() == "hacked"
    page.get_by_role("button", name="Restore in place now").click()
    expect(page.get_by_role("heading", name="Restore 3 of millpond")).to_be_visible()
    expect(page.get_by_text(re.compile("is kept until"))).to_be_visible()
    assert one.read_text() == saved
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_text("undo of restore 3")).to_be_visible()
    expect(page.get_by_text("done")).to_be_visible()
    assert one.read_text() == "hacked"

    page.goto(f"{running.url}/#/jobs/nightly")
    page.get_by_role("button", name="Remove").click()
    sure = page.get_by_role("dialog")
    expect(sure.get_by_role("button", name="Remove the job")).to_be_disabled()
    sure.get_by_label("Type nightly to confirm").fill("nightly")
    sure.get_by_role("button", name="Remove the job").click()
    expect(page.get_by_text("No job yet")).to_be_visible()


@pytest.mark.xdist_group("console")
def test_a_copy_beside_the_original_is_edited_made_and_removed(
    running: Service, page: Page, tmp_path: Path
) -> None:
    site = tmp_path / "millpond/sites/www"
    site.mkdir(parents=True)
    (site / "config.php").write_text("<?php define('HOME', 'https://millpond.example/');\n")
    account = AccountInput(
        name="millpond",
        host="reed-1",
        home=str(tmp_path / "millpond"),
        sites=[Site(name="millpond.example", root=str(site))],
    )
    with running.client() as client:
        set_up(client, [account], folder_stores(tmp_path, "attic"))
        assert run(client, "nightly").outcome == "done"
        bundle = client.bundles_list().items[0].id
    sign_in(page, running)
    page.get_by_label("Search accounts").fill("config.php")
    page.get_by_role("option", name=re.compile("paths of all bundles")).click()
    expect(page.get_by_text("millpond: sites/www/config.php")).to_be_visible()
    page.goto(f"{running.url}/#/bundles/{bundle}?contents=files&folder=sites%2Fwww")
    page.get_by_text("Links for someone without a sign-in").click()
    page.get_by_label("Part to download").select_option("sites/www")
    page.get_by_label("Note on its page").fill("as agreed")
    page.get_by_role("button", name="Make a link").click()
    address = page.locator("code").filter(has_text="/get/").text_content() or ""
    expect(page.get_by_text("as agreed: until")).to_be_visible()
    assert zipfile.is_zipfile(BytesIO(httpx.post(address, trust_env=False).content))
    page.get_by_role("button", name="Revoke link 1").click()
    expect(page.get_by_text("No link to this bundle is valid")).to_be_visible()
    page.get_by_role("button", name="Restore", exact=True).first.click()
    page.get_by_label("A copy next to it").check()
    expect(page.get_by_role("button", name="Show the plan")).to_be_disabled()
    page.get_by_label("Address of the copy").fill("no address")
    page.get_by_role("button", name="Propose the mapping").click()
    expect(page.get_by_role("alert").first).to_be_visible()
    page.get_by_label("Address of the copy").fill("try.millpond.example")
    page.get_by_role("button", name="Propose the mapping").click()
    page.get_by_label("Folder in millpond").fill("sites/trial")
    page.get_by_label(f"text {site} becomes").fill(f"{tmp_path}/millpond/sites/trial")
    page.get_by_role("button", name="Show the plan").click()
    expect(
        page.get_by_role("row", name=re.compile("create sites.trial.config.php"))
    ).to_be_visible()
    page.get_by_role("button", name="Restore there now").click()
    expect(page.get_by_role("heading", name="Copy beside the original")).to_be_visible()
    text = (tmp_path / "millpond/sites/trial/config.php").read_text()
    assert "https://try.millpond.example/" in text
    page.get_by_role("button", name="Remove the copy").click()
    sure = page.get_by_role("dialog")
    sure.get_by_label("Type millpond to confirm").fill("millpond")
    sure.get_by_role("button", name="Remove the copy").click()
    expect(page.get_by_text("undo of restore 2")).to_be_visible()
    expect(page.get_by_text("done")).to_be_visible()
    assert [path.name for path in site.parent.iterdir()] == ["www"]
    running.parts.tasks.drop_expired()
    with running.client() as client:
        assert until(lambda: client.restores_show(2).aside == SetAside.GONE)


@pytest.mark.xdist_group("console")
def test_progress_moves_without_reload_whoever_started_it(
    running: Service, stand_in: SftpStandIn, page: Page, tmp_path: Path
) -> None:
    account = small_account(tmp_path, "millpond")
    for number in range(4):
        (tmp_path / f"millpond/data-{number}.bin").write_bytes(os.urandom(2_000_000))
    with running.client() as client:
        set_up(client, [account], [sftp_store(stand_in)], piece_size=1024 * 1024)
        sign_in(page, running)
        expect(page.get_by_text("has never run")).to_be_visible()
        gate = Gate(stand_in, 2_000_000)
        number = client.jobs_start("nightly").id
        expect(page.get_by_role("link", name=f"run {number} of nightly")).to_be_visible()
        page.goto(f"{running.url}/#/runs/{number}")
        assert gate.reached.wait(30)
        progress = page.get_by_test_id("progress")
        expect(progress).to_contain_text("sent")
        before = progress.text_content()
        gate.open()
        expect(page.get_by_test_id("sentence")).to_contain_text("stored on boathouse")
        expect(progress).to_have_count(0)
        assert "entries" in before
        # A service that goes away is said, and its return heals the page.
        running.stop()
        expect(page.get_by_text("The connection to the service is lost")).to_be_visible()
        running.start()
        expect(page.get_by_text("The connection to the service is lost")).to_have_count(
            0, timeout=30_000
        )


@pytest.mark.xdist_group("console")
def test_three_hundred_accounts_are_taken_over_in_the_console(
    running: Service, page: Page, tmp_path: Path
) -> None:
    for number in range(300):
        (tmp_path / f"valley/acc{number:03d}/sites/acc{number:03d}.example").mkdir(parents=True)
    (tmp_path / "attic").mkdir()
    with running.client() as client:
        set_up(
            client,
            [],
            [
                StoreInput(
                    name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")}
                )
            ],
        )
    sign_in(page, running)
    page.goto(f"{running.url}/#/hosts/reed-1")
    page.get_by_text("Account discovery").click()
    page.get_by_label("Homes").fill(f"{tmp_path}/valley/{{account}}")
    page.get_by_label("Document roots").fill(f"{tmp_path}/valley/{{account}}/sites/{{site}}")
    page.get_by_role("button", name="Try and save").click()
    page.get_by_role("button", name="Take over all 300").click()
    expect(page.get_by_text("Took over 300 accounts.")).to_be_visible()
    page.get_by_role("link", name="Check the coverage by jobs").click()
    expect(page.get_by_text("Nothing matches")).to_be_visible()
    page.goto(f"{running.url}/#/coverage?state=never")
    expect(page.get_by_text("50 of 300")).to_be_visible()


PAGES = [
    "/",
    "/accounts",
    "/accounts/millpond",
    "/accounts/new",
    "/hosts/new",
    "/hosts/reed-1",
    "/hosts/reed-1/discovery",
    "/coverage",
    "/jobs",
    "/jobs/nightly",
    "/jobs/new",
    "/calendar",
    "/alerts",
    "/runs",
    "/runs/1",
    "/bundles",
    "/bundles/1",
    "/stores",
    "/stores/attic",
    "/stores/new",
    "/reports",
    "/reports/1",
    "/settings",
    "/no-such-page",
]


@pytest.mark.xdist_group("console")
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_every_page_is_accessible_and_fits(
    running: Service, browser: Any, tmp_path: Path, scheme: str
) -> None:
    (tmp_path / "attic").mkdir()
    with running.client() as client:
        set_up(
            client,
            [small_account(tmp_path, "millpond")],
            [
                StoreInput(
                    name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")}
                )
            ],
            report_to=["duty@sedge-quill.example"],
        )
        run(client, "nightly")
    context = browser.new_context(viewport={"width": 1280, "height": 800}, color_scheme=scheme)
    page = context.new_page()
    page.goto(f"{running.url}/")
    page.get_by_label("Password").wait_for()
    check_access(page, "sign-in")
    sign_in(page, running)
    for path in PAGES:
        page.goto(f"{running.url}/#{path}")
        expect(page.locator("main h1").first).to_be_attached()
        check_access(page, path)
        if scheme == "dark":
            page.set_viewport_size({"width": 390, "height": 844})
            wide = page.evaluate("document.documentElement.scrollWidth")
            assert wide <= 390, f"{path} is {wide} wide on a phone"
            page.set_viewport_size({"width": 1280, "height": 800})
    context.close()


@pytest.mark.xdist_group("console")
def test_when_how_many_and_who_is_told(running: Service, browser: Any, tmp_path: Path) -> None:
    with running.client() as client:
        accounts = [small_account(tmp_path, name) for name in ("millpond", "ferryline")]
        told = {"report_to": ["duty@sedge-quill.example"]}
        set_up(client, accounts, folder_stores(tmp_path, "attic", "cellar"), **told)
        run(client, "nightly")
        (tmp_path / "millpond").rename(tmp_path / "away")
        run(client, "nightly")
        running.parts.watch.look(datetime.now(UTC))
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{running.url}/")
        sign_in(page, running)
        # An alert is acknowledged where it is read.
        page.get_by_role("button", name="Acknowledge: Job nightly: failed.").click()
        page.get_by_label("Comment").fill("on my way")
        page.get_by_role("button", name="Acknowledge").click()
        expect(page.get_by_text("Taken on by administrator: on my way")).to_be_visible()
        page.get_by_role("link", name="All alerts").click()
        expect(page.get_by_role("cell", name="administrator: on my way")).to_be_visible()
        # The pickers write what experts type; the year follows.
        page.goto(f"{running.url}/#/jobs/nightly")
        page.get_by_label("Frequency").select_option("place")
        expect(page.get_by_label("Timetable", exact=True)).to_have_value("monthly last sun 02:15")
        page.get_by_label("Frequency").select_option("daily")
        expect(page.get_by_test_id("summary")).to_contain_text("Every day at 02:15")
        page.locator("#keep-newest").fill("3")
        page.locator("#keep-monthly").fill("12")
        rule = page.get_by_label("Copies kept on each store")
        expect(rule).to_have_value("3 newest, 12 monthly")
        page.get_by_text("As a table, with the copies of one day").click()
        last = page.locator("section", has_text="The coming year").locator("tbody tr").last
        expect(last).to_contain_text("14")
        page.get_by_text("Start conditions").click()
        page.get_by_label("Allowed hours").fill("late")
        expect(page.locator("#hours-allowed-wrong")).to_contain_text("“late” are not hours")
        page.get_by_label("Allowed hours").fill("00:00-06:00")
        page.get_by_label("Other rule on cellar").fill("2")
        expect(page.get_by_test_id("summary")).to_contain_text("the newest 2 copies on cellar")
        page.get_by_role("button", name="Save", exact=True).first.click()
        expect(page).to_have_url(f"{running.url}/#/jobs")
        saved = client.jobs_show("nightly")
        assert saved.keep_on == {"cellar": "2 newest"} and saved.starting.hours == "00:00-06:00"
        # Changes are listed and taken back; the report is shown as it looks.
        page.goto(f"{running.url}/#/jobs/nightly")
        page.get_by_text("Changes", exact=True).click()
        expect(page.get_by_text("keep: 7 newest → 3 newest, 12 monthly")).to_be_visible()
        page.get_by_role("button", name="Take change 2 back").click()
        until(lambda: client.jobs_show("nightly").keep == "7 newest")
        # The page loads the job again, and closes what was opened before.
        page.goto(f"{running.url}/#/jobs")
        page.goto(f"{running.url}/#/jobs/nightly")
        page.get_by_text("Its report", exact=True).click()
        frame = page.frame_locator("iframe[title='The report of the last run']")
        expect(frame.get_by_text("ferryline").first).to_be_visible()
        tone = frame.locator("h1").evaluate("h => getComputedStyle(h).color")
        assert tone == "rgb(154, 51, 36)", "it is styled as in the mail"
        # The times of digests, and resending of messages.
        page.goto(f"{running.url}/#/settings")
        page.get_by_label("Sender").fill("fasciculus@sedge-quill.example")
        page.get_by_label("Send digests at").fill("06:30")
        page.get_by_label("Send weekly digests on").select_option("fri")
        form = page.locator("section", has=page.get_by_role("heading", name="Mail server"))
        form.get_by_role("button", name="Save").click()
        until(lambda: client.mail_show().digest_time == "06:30")
        assert client.mail_show().digest_day == "fri"
        tries = min(row.attempts for row in client.outbox_list().items)
        page.goto(f"{running.url}/#/reports")
        page.get_by_role("button", name="unsent again now").click()
        until(lambda: min(row.attempts for row in client.outbox_list().items) > tries)
        # A pause, visible to others.
        page.goto(f"{running.url}/#/calendar")
        page.get_by_label("Why").fill("moving house")
        page.get_by_role("button", name="Pause everything").click()
        expect(page.get_by_text("Everything is paused until resumed")).to_be_visible()
        assert client.pauses_list().items[0].reason == "moving house"
        page.get_by_role("button", name="Resume").click()
        expect(page.get_by_role("button", name="Pause everything")).to_be_visible()
        # “Before I update”, and its pin.
        (tmp_path / "away").rename(tmp_path / "millpond")
        page.goto(f"{running.url}/#/jobs/nightly")
        page.get_by_text("Run now with a label").click()
        page.get_by_label("Only this subject").fill("millpond")
        page.get_by_role("button", name="Start it now").click()
        expect(page.get_by_text("“before the update”")).to_be_visible()
        until(lambda: client.bundles_list(subject="millpond").items[0].pin)
        page.goto(f"{running.url}/#/bundles/{client.bundles_list(subject='millpond').items[0].id}")
        page.get_by_role("button", name="Unpin").click()
        expect(page.get_by_text("Pin it: no keep rule retires it")).to_be_visible()
        page.close()


@pytest.mark.xdist_group("console")
def test_what_a_store_proposes_is_chosen_and_accepted(
    running: Service, page: Page, tmp_path: Path
) -> None:
    (attic,) = folder_stores(tmp_path, "attic")
    with service(tmp_path / "old") as old, old.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], [attic])
        assert run(client, "nightly").outcome == "done"
    with running.client() as client:
        client.stores_add(attic)
        client.stores_import("attic")
        until(lambda: client.stores_proposals("attic").items)
        sign_in(page, running)
        page.goto(f"{running.url}/#/stores/attic")
        expect(page.get_by_role("heading", name="Proposed by this store")).to_be_visible()
        expect(page.get_by_text(str(tmp_path / "millpond"))).to_be_visible()
        check_access(page, "proposals")
        for name in ("host reed-1", "account millpond"):
            page.get_by_label(f"Choose {name}").check()
        page.get_by_role("button", name="Accept").click()
        expect(page.get_by_label("Choose account millpond")).to_have_count(0)
        assert client.accounts_show("millpond").host == "reed-1"
        page.get_by_label("Choose all").check()
        page.get_by_role("button", name="Dismiss").click()
        expect(page.get_by_role("heading", name="Proposed by this store")).to_have_count(0)
        assert not client.jobs_list().items
