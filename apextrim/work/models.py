"""Long work as rows: what is asked for, how far it is, how it ended. The queue only carries their keys."""

from typing import Any

from django.conf import settings
from django.db import models
from django.urls import reverse


class Job(models.Model):
    """One piece of work that is done beside the requests, in a worker process."""

    OWNER = "owner"
    STATES = [(word, word) for word in ("waiting", "running", "done", "stopped", "failed")]

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=20, help_text="of apextrim.work.kinds")
    lane = models.CharField(max_length=8, help_text="an owner has one running job in each lane")
    words = models.CharField(max_length=160, help_text="what it does, for its owner")
    arguments = models.JSONField(default=dict)
    data = models.BinaryField(null=True, help_text="the file that it reads; gone when it ends")
    state = models.CharField(max_length=8, choices=STATES, default="waiting")
    stop = models.BooleanField(default=False, help_text="its owner asked it to stop")
    progress = models.FloatField(default=0.0)
    told = models.JSONField(default=list, help_text="sentences of its end")
    address = models.CharField(max_length=200, blank=True, help_text="page of what came of it")
    seen = models.BooleanField(default=False, help_text="its owner was shown its end")
    tries = models.PositiveSmallIntegerField(default=0)
    worker = models.CharField(max_length=80, blank=True, help_text="machine and process that has it")
    made_at = models.DateTimeField()
    sent_at = models.DateTimeField(null=True, help_text="when its key was put into the queue")
    begun_at = models.DateTimeField(null=True)
    beat_at = models.DateTimeField(null=True, help_text="when its worker was last heard of")
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-pk"]
        indexes = [models.Index(fields=["state", "owner", "lane"]), models.Index(fields=["owner", "made_at"])]

    def __str__(self) -> str:
        return f"{self.words} ({self.state})"

    @property
    def is_open(self) -> bool:
        """Whether it waits or runs."""
        return self.state in ("waiting", "running")

    @property
    def own_address(self) -> str:
        """Its page."""
        return reverse("job", args=[self.pk])

    @property
    def took_s(self) -> float | None:
        """From its begin to its end [s]."""
        return (self.ended_at - self.begun_at).total_seconds() if self.ended_at and self.begun_at else None

    @property
    def file(self) -> bytes:
        """The file that it reads."""
        data: Any = self.data
        return bytes(data or b"")
