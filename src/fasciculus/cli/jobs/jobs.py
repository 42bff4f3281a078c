"""``fasciculus jobs`` commands."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any

import typer

from ... import models
from .. import output
from ..options import options_of
from ..output import moment, wrong
from ..parameters import AsJson, JobName, NewJobName, Yes
from ..session import service
from .job_fields import fields_of
from .job_options import OPTIONS, shared
from .job_preview import preview
from .job_schedule import add_commands
from .start_options import starting

app = typer.Typer(help="Backup jobs: what, where, when, keep, notify.", no_args_is_help=True)


app.command()(preview)
add_commands(app)


def _when(job: models.Job) -> str:
    if not job.enabled:
        return f"off ({job.timetable})"
    return f"paused ({job.timetable})" if job.paused else job.timetable


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the jobs."""
    with service() as client:
        rows = list(client.every(client.jobs_list))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("JOB", lambda j: j.name),
            ("COVERS", lambda j: output.count(j.covers, j.subjects[:-1])),
            ("CONTENTS", lambda j: ", ".join(j.contents)),
            ("TO", lambda j: ", ".join(j.stores)),
            ("WHEN", _when),
            ("NEXT START", lambda j: moment(j.next_start) if j.next_start else "–"),
            ("KEEP", lambda j: j.keep),
            ("LAST RUN", lambda j: output.outcome(j.last_outcome) if j.last_run else "never"),
        ],
        "No jobs yet. Add one: fasciculus jobs add NAME --accounts all --store STORE",
    )
    return None


def _paused(job: models.Job) -> str:
    until = moment(job.paused_until) if job.paused_until else "until resumed"
    return f"{until}: {job.paused}"


@app.command()
def show(name: JobName, as_json: AsJson = False) -> None:
    """Show one job with a summary."""
    with service() as client:
        job = client.jobs_show(name)
    if as_json:
        return output.show_json(job)
    output.out.print(job.summary, soft_wrap=True, highlight=False)
    output.show_fields(
        [
            ("covers", output.count(job.covers, job.subject_kind)),
            ("next start", moment(job.next_start)),
            *([("paused", _paused(job))] if job.paused else []),
            ("last run", f"{job.last_run}: {job.last_outcome}" if job.last_run else "never"),
            (
                "packed with",
                f"{job.compression}, level {job.level or 'default'}, pieces of at most "
                f"{output.size(job.piece_size)}",
            ),
        ]
    )
    return None


@app.command()
@options_of(shared, starting)
def add(name: NewJobName, as_json: AsJson = False, **options: Any) -> None:
    """Add a job and show its summary."""
    with service(OPTIONS) as client:
        fields = fields_of(None, options)
        if not fields.get("stores"):
            known = ", ".join(s.name for s in client.every(client.stores_list))
            raise wrong("A job needs a store.", f"Stores: {known or 'none yet'}.", "--store")
        job = models.JobInput(name=name, **fields)
        advice = client.jobs_summary(job).advice
        made = client.jobs_add(job)
    if as_json:
        output.show_json(made)
        return
    output.out.print(f"Added job {name}. {made.summary}", soft_wrap=True, highlight=False)
    _show_advice(advice)
    output.out.print(f"Start it and watch: fasciculus start {name} --wait", highlight=False)


def _show_advice(lines: Sequence[str]) -> None:
    for line in lines:
        output.out.print(f"▲ {line}", soft_wrap=True, highlight=False, style="yellow")


@app.command()
@options_of(shared, starting)
def change(name: JobName, as_json: AsJson = False, **options: Any) -> None:
    """Change a job. Options you omit keep their value."""
    with service(OPTIONS) as client:
        old = models.JobInput(
            **client.jobs_show(name).model_dump(include=set(models.JobInput.model_fields))
        )
        new = models.JobInput(**{**old.model_dump(), **fields_of(old, options)})
        known = client.jobs_summary(old).advice
        advice = [line for line in client.jobs_summary(new).advice if line not in known]
        made = client.jobs_change(name, new)
    if as_json:
        output.show_json(made)
        return
    output.out.print(f"Changed job {name}. {made.summary}", soft_wrap=True, highlight=False)
    _show_advice(advice)


@app.command()
def retiring(
    name: JobName,
    keep: Annotated[str, typer.Option(help="Keep rule to try; default: the job's own.")] = "",
    as_json: AsJson = False,
) -> None:
    """List the copies that would retire now, and the space freed. Nothing is removed."""
    with service() as client:
        rows = client.jobs_retiring(name, keep).items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("SUBJECT", lambda r: r.subject),
            ("STORE", lambda r: r.store),
            ("MOMENT", lambda r: moment(r.moment)),
            ("BUNDLE", lambda r: r.bundle),
            ("FREES", lambda r: output.size(r.frees)),
        ],
        "Nothing would retire.",
        right=["FREES"],
    )
    if rows:
        output.out.print(
            f"{len(rows):,} copies would retire, which frees "
            f"{output.size(sum(r.frees for r in rows))}.",
            highlight=False,
        )
    return None


@app.command()
def summary(name: JobName, as_json: AsJson = False) -> None:
    """Show a job's summary: what it does, next starts, size, advice."""
    with service() as client:
        job = client.jobs_show(name)
        found = client.jobs_summary(
            models.JobInput(**job.model_dump(include=set(models.JobInput.model_fields)))
        )
    if as_json:
        return output.show_json(found)
    output.out.print(found.sentence, soft_wrap=True, highlight=False)
    for start in found.starts:
        output.out.print(f"  {moment(start)}", highlight=False)
    if found.packed:
        output.out.print(
            f"Size last seen: {output.size(found.bytes)}, {output.size(found.packed)} stored.",
            highlight=False,
        )
        for row in found.space:
            free = "free space unknown" if row.free is None else f"{output.size(row.free)} free"
            output.out.print(
                f"Needs up to {output.size(row.needed)} on {row.place}, {free}: {row.why}.",
                soft_wrap=True,
                highlight=False,
            )
    for line in found.advice:
        output.out.print(f"▲ {line}", soft_wrap=True, highlight=False, style="yellow")
    return None


@app.command()
def remove(name: JobName, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove a job; its bundles stay."""
    output.sure(f"Remove job {name}? Its bundles stay.", yes)
    with service() as client:
        client.jobs_remove(name)
    output.done({"removed": name}, f"Removed job {name}. Its bundles stay.", as_json)
