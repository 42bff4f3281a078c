"""What comes in without signing in: starts by a secret address, the calendar feed, metrics."""

from datetime import UTC, datetime, timedelta

import httpx
import pytest
from icalendar import Calendar as ICalendar
from prometheus_client.parser import text_string_to_metric_families
from running import folder_stores, run, set_up, small_account, until

from fasciculus.client import ClientError
from fasciculus.models import (
    JobCopy,
    JobInput,
    PauseInput,
    Pin,
    RestoreStart,
    StartAddressInput,
)


@pytest.fixture
def client(running, tmp_path):
    with running.client() as found:
        accounts = [small_account(tmp_path, name) for name in ("millpond", "ferryline")]
        set_up(found, accounts, folder_stores(tmp_path, "attic", "cellar"), keep="5 newest")
        yield found


def ask(method, url, **more):
    return httpx.request(method, url, trust_env=False, verify=False, timeout=60, **more)


def test_a_secret_address_starts_a_job_and_waits_for_it(client, running):
    made = client.jobs_address_make("nightly", StartAddressInput(per_hour=100))
    assert made.url in made.curl and made.curl in made.crontab and len(made.url) > 60
    at_once = ask("GET", made.url)
    assert at_once.status_code == 202 and at_once.json()["run"] == 1
    busy = ask("POST", made.url)
    if busy.status_code == 409:
        assert busy.headers["Location"] == at_once.headers["Location"]
    until(lambda: client.runs_show(1).state == "ended")
    waited = ask("POST", f"{made.url}?wait=60")
    assert waited.status_code == 200 and waited.json()["outcome"] == "done"
    assert waited.json()["sentence"].startswith("nightly: 2 bundles")
    shown = client.jobs_address("nightly")
    assert shown.used is not None and made.url.rpartition("/")[2] not in shown.model_dump_json()
    noted = running.parts.records.reader.execute("SELECT who, action, about FROM audit").fetchall()
    assert ("an address", "started job", "nightly from 127.0.0.1") in [tuple(r) for r in noted]
    assert ask("GET", f"{made.url}?wait=soon").status_code == 422


def test_a_run_that_fails_is_an_error_for_programs(client, tmp_path):
    made = client.jobs_address_make("nightly", StartAddressInput())
    (tmp_path / "millpond").rename(tmp_path / "away")
    answer = ask("POST", f"{made.url}?wait=60")
    assert answer.status_code == 500 and answer.json()["outcome"] == "failed"


@pytest.mark.parametrize("method", ["GET", "POST"])
def test_who_does_not_know_it_or_is_elsewhere_learns_nothing(client, running, method):
    made = client.jobs_address_make("nightly", StartAddressInput(networks=["192.0.2.0/24"]))
    wrong = ask(method, f"{running.url}/start/{'x' * 43}")
    elsewhere = ask(method, made.url)
    client.jobs_address_change("nightly", StartAddressInput(enabled=False))
    off = ask(method, made.url)
    assert wrong.status_code == elsewhere.status_code == off.status_code == 404
    assert wrong.text == elsewhere.text == off.text
    client.jobs_address_change("nightly", StartAddressInput(networks=["127.0.0.0/8", "::1/128"]))
    assert ask(method, made.url).status_code == 202
    until(lambda: client.runs_show(1).state == "ended")
    again = client.jobs_address_make("nightly", StartAddressInput())
    assert ask(method, made.url).status_code == 404, "the old one is worth nothing"
    assert ask("HEAD", again.url).status_code == 405
    for _ in range(8):
        refused = ask(method, made.url)
    assert refused.status_code == 429 and int(refused.headers["Retry-After"]) > 0, "no guessing"
    assert client.runs_list().total == 1
    assert ask(method, again.url).status_code == 202, "who knows it is not held up by who guesses"
    client.jobs_address_remove("nightly")
    assert ask(method, again.url).status_code == 429


def test_no_more_starts_than_an_address_allows(client):
    made = client.jobs_address_make("nightly", StartAddressInput(per_hour=2))
    for number in (1, 2):
        assert ask("POST", f"{made.url}?wait=60").json()["run"] == number
    refused = ask("POST", made.url)
    assert refused.status_code == 429 and int(refused.headers["Retry-After"]) > 3000
    assert client.runs_list().total == 2


def test_the_calendar_feed_says_what_starts_when(client):
    assert client.calendar_feed().made is None
    daily = client.jobs_show("nightly").model_copy(
        update={"timetable": "daily 02:15", "zone": "Europe/London"}
    )
    client.jobs_change("nightly", JobInput(**daily.model_dump(include=set(JobInput.model_fields))))
    feed = client.calendar_feed_make()
    answer = ask("GET", feed.url)
    assert answer.headers["Content-Type"].startswith("text/calendar")
    events = ICalendar.from_ical(answer.text).walk("VEVENT")
    assert len(events) == 28 and {str(e["SUMMARY"]) for e in events} == {"Job nightly"}
    shown = client.calendar_show(3)
    assert [start.at for start in shown.starts] == [e.decoded("DTSTART") for e in events[:3]]
    assert ask("GET", feed.url.replace(".ics", "x.ics")).status_code == 404
    client.calendar_feed_remove()
    assert ask("GET", feed.url).status_code == 404


def test_metrics_are_for_who_has_a_token(client, running):
    run(client, "nightly")
    assert ask("GET", f"{running.url}/metrics").status_code == 401
    wrong = {"Authorization": "Bearer sedge"}
    assert ask("GET", f"{running.url}/metrics", headers=wrong).status_code == 401
    object.__setattr__(running.parts.config, "metrics_token", "reed-and-sedge")
    for token in ("reed-and-sedge", running.token):
        answer = ask("GET", f"{running.url}/metrics", headers={"Authorization": f"Bearer {token}"})
        assert answer.status_code == 200
    found = {f.name: f.samples for f in text_string_to_metric_families(answer.text)}
    ages = {s.labels["subject"]: s.value for s in found["fasciculus_copy_age_seconds"]}
    assert set(ages) == {"millpond", "ferryline"} and 0 <= ages["millpond"] < 600
    outcomes = {s.labels["outcome"]: s.value for s in found["fasciculus_job_last_outcome"]}
    assert outcomes["done"] == 1 and outcomes["failed"] == 0
    assert found["fasciculus_up"][0].value == found["fasciculus_scheduler_up"][0].value == 1


def test_a_pause_holds_runs_and_not_restores(client, tmp_path):
    done = run(client, "nightly")
    until_then = datetime.now(UTC) + timedelta(hours=2)
    client.pauses_set(PauseInput(until=until_then, reason="moving house"))
    with pytest.raises(ClientError, match="moving house"):
        client.start("nightly")
    assert client.jobs_show("nightly").paused == "moving house"
    assert "Everything is paused" in " ".join(a.text for a in client.overview().attention)
    bundle = done.tasks[0].bundle_id
    number = client.restores_start(RestoreStart(bundle=bundle, target=str(tmp_path / "b"))).id
    assert until(lambda: client.restores_show(number).outcome) == "done"
    with pytest.raises(ClientError, match="over already"):
        client.jobs_pause("nightly", PauseInput(until=datetime(2020, 1, 1, tzinfo=UTC)))
    client.pauses_lift()
    assert run(client, "nightly").outcome == "done"
    with pytest.raises(ClientError, match="Nothing is paused"):
        client.pauses_lift()


def test_a_job_is_copied_changed_and_taken_back(client):
    made = client.jobs_copy(
        "nightly", JobCopy(name="weekly", stores=["cellar"], timetable="weekly sun 03:00")
    )
    assert (made.stores, made.keep, made.enabled) == (["cellar"], "5 newest", False)
    fields = made.model_dump(include=set(JobInput.model_fields))
    client.jobs_change("weekly", JobInput(**{**fields, "keep": "2 weekly", "enabled": True}))
    change, added = client.changes_list(kind="job", name="weekly").items
    assert added.before is None and added.who == "administrator"
    assert change.before == {"keep": "5 newest", "enabled": False}
    assert change.after == {"keep": "2 weekly", "enabled": True}
    assert client.jobs_take_back("weekly", change.id).keep == "5 newest"
    client.jobs_remove("weekly")
    removed = client.changes_list(kind="job", name="weekly").items[0]
    assert client.jobs_take_back("weekly", removed.id).keep == "5 newest", "and from the dead"
    with pytest.raises(ClientError, match="nothing before it"):
        client.jobs_take_back("weekly", added.id)
    with pytest.raises(ClientError, match="There is no change 99"):
        client.jobs_take_back("weekly", 99)


def test_a_run_of_its_own_name_stays_whatever_the_rule_says(client):
    named = client.start("nightly", label="Before the update", keep_days=3).wait()
    assert named.label == "Before the update"
    for _ in range(6):
        run(client, "nightly")
    rows = client.bundles_list(subject="millpond").items
    assert len(rows) == 6, "five newest, and the one that is pinned"
    pinned = next(row for row in rows if row.pin)
    assert pinned.name.endswith("-before-the-update") and pinned.pin.reason == "Before the update"
    assert client.bundles_unpin(pinned.id).pin is None
    assert client.bundles_pin(pinned.id, Pin(reason="evidence")).pin.until is None
    with pytest.raises(ClientError, match="over already"):
        client.bundles_pin(pinned.id, Pin(until=datetime(2020, 1, 1, tzinfo=UTC)))
    client.bundles_unpin(pinned.id)
    run(client, "nightly")
    assert len(client.bundles_list(subject="millpond").items) == 5


def test_each_store_has_its_own_rule_and_one_of_them_is_cheap(client):
    job = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
    client.jobs_change("nightly", JobInput(**{**job, "keep_on": {"cellar": "2 newest"}}))
    for _ in range(4):
        run(client, "nightly")
    copies = [c.store for row in client.bundles_list(subject="millpond").items for c in row.copies]
    assert (copies.count("attic"), copies.count("cellar")) == (4, 2)
    assert "5 copies on attic" in client.jobs_show("nightly").summary
    year = client.jobs_year(JobInput(**{**job, "timetable": "daily 02:15"}), store="cellar")
    assert year.days[-1].copies == 5 and year.days[-1].bytes_of_all > year.days[-1].bytes > 0
    client.jobs_change("nightly", JobInput(**{**job, "timetable": "daily 02:15", "keep": "7"}))
    store = client.stores_year("attic")
    assert store.jobs == ["nightly"] and store.full_on is None and store.room > store.bytes
    sizes = [row.bytes for row in store.days]
    assert len(sizes) == 366 and sizes[-1] == sizes[10] == max(sizes) > sizes[0] > 0
    with pytest.raises(ValueError, match="“reef” is not one of its stores"):
        JobInput(**{**job, "keep_on": {"reef": "1"}})
