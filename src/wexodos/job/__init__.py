"""The job: one cut on its way through Wexodos, saved by itself, with its history."""

from wexodos.job.agreement import (
    Contradiction,
    WayOut,
    contradiction,
    destinations_for,
    recipe_for,
    recipe_of,
)
from wexodos.job.job import Decisions, Homecoming, Job
from wexodos.job.lock import JobLock
from wexodos.job.ready import Ready, of_job, ready
from wexodos.job.remembering import remembered
from wexodos.job.store import JobError, forget, job_path, load, recent, save

__all__ = [
    "Contradiction",
    "Decisions",
    "Homecoming",
    "Job",
    "JobError",
    "JobLock",
    "Ready",
    "WayOut",
    "contradiction",
    "destinations_for",
    "forget",
    "job_path",
    "load",
    "of_job",
    "ready",
    "recent",
    "recipe_for",
    "recipe_of",
    "remembered",
    "save",
]
