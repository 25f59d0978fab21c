"""What an account prefers."""

from django.conf import settings
from django.db import models


class Preferences(models.Model):
    """The units that a racer reads and types, and how far the tour is."""

    OWNER = "owner"

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="preferences")
    units = models.JSONField(default=dict, blank=True, help_text="unit by quantity, of apexcore.quantities.units.CHOICES")
    tour = models.PositiveSmallIntegerField(default=0, help_text="stops seen; beyond the last one it is over")

    def __str__(self) -> str:
        return f"preferences of {self.owner}"
