"""Plans of a job before it is saved: its summary, retiring copies, the coming year."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import (
    JobInput,
    JobSimulation,
    JobSummary,
    Page,
    Retiring,
    SimulationQuery,
    StoreSimulation,
)
from .....models.queries import RetiringQuery
from ....usecases.jobs import plans as job_plans
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/jobs/{name}/retiring",
    "Copies that would retire now, and the space freed; nothing is removed",
    Permission.VIEW,
    response=Page[Retiring],
    query=RetiringQuery,
)
def jobs_retiring(name: str, query: RetiringQuery) -> Page[Retiring]:
    return job_plans.jobs_retiring(caller(), name, query)


@operation(
    "POST",
    "/jobs/summary",
    "Summary of a job, before it is saved",
    Permission.CONFIGURE,
    body=JobInput,
    response=JobSummary,
)
def jobs_summary(body: JobInput) -> JobSummary:
    return job_plans.jobs_summary(caller(), body)


@operation(
    "POST",
    "/jobs/simulate",
    "Simulation of a job's copies on each day of the coming year, before it is saved",
    Permission.CONFIGURE,
    query=SimulationQuery,
    body=JobInput,
    response=JobSimulation,
    former=("/jobs/year",),
)
def jobs_simulate(query: SimulationQuery, body: JobInput) -> JobSimulation:
    return job_plans.jobs_simulate(caller(), query, body)


@operation(
    "GET",
    "/stores/{name}/simulate",
    "Simulation of a store's usage on each day of the coming year, by the keep rules of its jobs",
    Permission.VIEW,
    response=StoreSimulation,
    former=("/stores/{name}/year",),
)
def stores_simulate(name: str) -> StoreSimulation:
    return job_plans.stores_simulate(caller(), name)
