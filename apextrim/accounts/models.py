"""What an account prefers, who may make one, and when one ends."""

from django.conf import settings
from django.db import models


class Preferences(models.Model):
    """The units that a racer reads and types, and how far the tour is."""

    OWNER = "owner"

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="preferences")
    units = models.JSONField(default=dict, blank=True, help_text="unit by quantity, of apexcore.quantities.units.CHOICES")
    tour = models.PositiveSmallIntegerField(default=0, help_text="stops seen; beyond the last one it is over")
    leaves_at = models.DateTimeField(null=True, help_text="when the account goes for good, where that is asked for")

    def __str__(self) -> str:
        return f"preferences of {self.owner}"


class Installation(models.Model):
    """What whoever keeps the installation has set for all; one row at most."""

    NOBODY, KEEPER, EVERYBODY = "nobody", "keeper", "everybody"
    INVITERS = [(NOBODY, "nobody"), (KEEPER, "only you"), (EVERYBODY, "every account")]

    inviters = models.CharField(max_length=10, choices=INVITERS, default=KEEPER, help_text="who may invite")

    def __str__(self) -> str:
        return "this installation"


class Invitation(models.Model):
    """A link with which one person makes one account."""

    OWNER = "maker"

    maker = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="invitations")
    nonce = models.CharField(max_length=32, help_text="what its link is signed with")
    words = models.CharField(max_length=80, blank=True, help_text="whom it is for")
    made_at = models.DateTimeField()
    until = models.DateTimeField()
    used_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    used_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return self.words or "an invitation"
