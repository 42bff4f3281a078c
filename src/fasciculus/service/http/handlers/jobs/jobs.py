"""Jobs: their settings, their summary, and starting them."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import Job, JobCopy, JobDefaults, JobInput, JobStart, Page, Started
from .....models.queries import JobsQuery
from ....usecases.jobs import jobs
from ...operations import PREFIX, operation
from ...request import caller, idempotency_key


@operation(
    "GET",
    "/jobs",
    "Jobs",
    Permission.VIEW,
    response=Page[Job],
    query=JobsQuery,
)
def jobs_list(query: JobsQuery) -> Page[Job]:
    return jobs.jobs_list(caller(), query)


@operation(
    "GET", "/defaults/job", "Defaults of a new job", Permission.CONFIGURE, response=JobDefaults
)
def job_defaults() -> JobDefaults:
    return jobs.job_defaults(caller())


@operation(
    "POST", "/jobs", "Add a job", Permission.CONFIGURE, body=JobInput, response=Job, status=201
)
def jobs_add(body: JobInput) -> Job:
    return jobs.jobs_add(caller(), body)


@operation("GET", "/jobs/{name}", "One job", Permission.VIEW, response=Job)
def jobs_show(name: str) -> Job:
    return jobs.jobs_show(caller(), name)


@operation("PUT", "/jobs/{name}", "Change a job", Permission.CONFIGURE, body=JobInput, response=Job)
def jobs_change(name: str, body: JobInput) -> Job:
    return jobs.jobs_change(caller(), name, body)


@operation("DELETE", "/jobs/{name}", "Remove a job; the bundles it made stay", Permission.CONFIGURE)
def jobs_remove(name: str) -> None:
    jobs.jobs_remove(caller(), name)


@operation(
    "POST",
    "/jobs/{name}/copy",
    "A new job from another one's settings",
    Permission.CONFIGURE,
    body=JobCopy,
    response=Job,
    status=201,
)
def jobs_copy(name: str, body: JobCopy) -> Job:
    return jobs.jobs_copy(caller(), name, body)


@operation(
    "POST",
    "/jobs/{name}/revert/{change}",
    "Revert a job to what it was before a change",
    Permission.CONFIGURE,
    response=Job,
    former=("/jobs/{name}/take-back/{change}",),
)
def jobs_revert(name: str, change: int) -> Job:
    return jobs.jobs_revert(caller(), name, change)


@operation(
    "POST",
    "/jobs/{name}/start",
    "Start a job now",
    Permission.OPERATE,
    body=JobStart,
    response=Started,
    status=202,
)
def jobs_start(name: str, body: JobStart) -> Started:
    number = jobs.jobs_start(caller(), name, body, idempotency_key())
    return Started(id=number, url=f"{PREFIX}/runs/{number}")
