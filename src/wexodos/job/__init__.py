"""The job: one cut on its way through Wexodos, saved by itself, with its history."""

from wexodos.job.job import Decisions, Job
from wexodos.job.ready import Ready, ready
from wexodos.job.store import JobError, job_path, load, recent, save

__all__ = ["Decisions", "Job", "JobError", "Ready", "job_path", "load", "ready", "recent", "save"]
