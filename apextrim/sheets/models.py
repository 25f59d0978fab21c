"""Sheets as rows."""

from django.db import models

from apextrim.accounts.binned import Everything, Present


class Sheet(models.Model):
    """A saved sheet of an event; its values never change once saved."""

    OWNER = "event__owner"

    event = models.ForeignKey("events.Event", models.CASCADE, related_name="sheets")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", models.SET_NULL, null=True, blank=True, related_name="children")
    reason = models.CharField(max_length=200)
    values = models.JSONField(help_text="value of every item, by key, in the item's unit")
    modelled_s = models.FloatField(null=True, help_text="modelled lap against the parent's [s], at the time of saving")
    made_at = models.DateTimeField()
    in_car = models.BooleanField(default=False, help_text="whether it is the sheet in the car; one sheet of an event at most")
    deleted_at = models.DateTimeField(null=True, blank=True)

    objects = Present()
    everything = Everything()

    #: How far in it stands in the tree of an event's sheets; set where the tree is read.
    depth: int = 0

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["event", "number"], name="one_sheet_per_number"),
            models.UniqueConstraint(fields=["event"], condition=models.Q(in_car=True), name="one_sheet_in_the_car"),
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def name(self) -> str:
        """What the product calls it."""
        return f"S{self.number}"
