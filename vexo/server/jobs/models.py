"""The Job: the truth about a piece of work in the background."""

from __future__ import annotations

import time

from django.db import models


class Job(models.Model):
    """A piece of work: who has it, until when, and how far it is.

    ``fencing_token`` rises with each claim, and every write of the work checks it: a worker thought dead cannot write
    on. One that waits is not begun before ``start_at`` (seconds since 1970), and until then nobody waits for it.
    """

    QUEUED, RUNNING, DONE, FAILED, STOPPED = "queued", "running", "done", "failed", "stopped"
    WAITING = "waiting"
    OPEN = (QUEUED, RUNNING)

    kind = models.CharField(max_length=20)
    queue = models.CharField(max_length=10, default="reading")
    trip = models.ForeignKey("trips.Trip", models.CASCADE, null=True, related_name="jobs")
    arguments = models.JSONField(default=dict)
    by = models.CharField(max_length=150)
    way = models.CharField(max_length=120, blank=True, default="")
    """By which way it was asked for, as the journal has it."""
    state = models.CharField(max_length=10, default=QUEUED, db_index=True)
    wanted = models.CharField(max_length=10, default="run")
    owner = models.CharField(max_length=160, blank=True)
    fencing_token = models.PositiveIntegerField(default=0)
    lease_until = models.FloatField(default=0)
    start_at = models.FloatField(default=0)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    message = models.CharField(max_length=200, blank=True)
    error = models.TextField(blank=True)
    code = models.CharField(max_length=40, blank=True)
    result = models.JSONField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("id",)

    @property
    def expired(self) -> bool:
        """Whether the work is without a living worker though it has begun."""
        return self.state == Job.RUNNING and self.lease_until < time.time()


class Worker(models.Model):
    """A process that does jobs: of which queues (all where empty), and when it was last seen to be alive."""

    owner = models.CharField(max_length=160, primary_key=True)
    queues = models.JSONField(default=list)
    seen_at = models.FloatField(default=0)
