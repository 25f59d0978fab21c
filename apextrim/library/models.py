"""Cars, circuits and the racer's notes on corners as rows."""

from django.conf import settings
from django.db import models

from apextrim.accounts.binned import Everything, Present


class Car(models.Model):
    """A car of one owner: the file of `apexcore.vehicle.car.Car`."""

    OWNER = "owner"

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="cars")
    key = models.CharField(max_length=40)
    name = models.CharField(max_length=60)
    data = models.TextField()
    previous = models.TextField(blank=True, help_text="the file before the last change, for its undo")
    assumed = models.JSONField(default=list, blank=True, help_text="of a car told in short: rows of words, value, spread, and why")
    deleted_at = models.DateTimeField(null=True, blank=True)

    objects = Present()
    everything = Everything()

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "key"], name="one_car_per_key")]

    def __str__(self) -> str:
        return self.name


#: Fields of a driver's place: name, what it is called, and what is worth writing.
PLACE_FIELDS = (
    ("seat", "Seat", "position, height, angle, insert"),
    ("belts", "Belts", "holes, length of each"),
    ("reach", "Reach to the wheel", "the wrist on its top, shoulders in the seat"),
    ("pedals", "Pedals", "a bent knee at full pedal; blocks, heights"),
    ("forces", "Wheel and pedal force", "assistance, brake force or its sensor's setting"),
    ("view", "View", "mirrors; on a simulator field of view and height"),
    ("note", "Note", ""),
)


class DriversPlace(models.Model):
    """How one driver sits in one car: a changed seat changes braking more than a click of anything."""

    OWNER = "car__owner"

    car = models.ForeignKey(Car, models.CASCADE, related_name="places")
    driver = models.CharField(max_length=40)
    seat = models.CharField(max_length=120, blank=True)
    belts = models.CharField(max_length=120, blank=True)
    reach = models.CharField(max_length=120, blank=True)
    pedals = models.CharField(max_length=120, blank=True)
    forces = models.CharField(max_length=120, blank=True)
    view = models.CharField(max_length=120, blank=True)
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["driver"]
        constraints = [models.UniqueConstraint(fields=["car", "driver"], name="one_place_per_driver")]

    def __str__(self) -> str:
        return f"{self.driver} in {self.car}"

    @property
    def lines(self) -> list[tuple[str, str]]:
        """What is written down, with what it is called."""
        return [(words, text) for name, words, _ in PLACE_FIELDS if (text := getattr(self, name))]


class Circuit(models.Model):
    """A circuit of one owner: the file of `apexcore.circuit.track.Circuit`."""

    OWNER = "owner"

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="circuits")
    key = models.CharField(max_length=40)
    name = models.CharField(max_length=60)
    layout = models.CharField(max_length=60)
    data = models.TextField()
    previous = models.TextField(blank=True, help_text="the file before the last change, for its undo")
    deleted_at = models.DateTimeField(null=True, blank=True)

    objects = Present()
    everything = Everything()

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "key"], name="one_circuit_per_key")]

    def __str__(self) -> str:
        return f"{self.name}, {self.layout}"


class CornerNote(models.Model):
    """What a racer does in a corner, in qualifying and in the race. It stays with the circuit for the next visit."""

    OWNER = "circuit__owner"

    circuit = models.ForeignKey(Circuit, models.CASCADE, related_name="notes")
    number = models.PositiveIntegerField()
    qualifying = models.CharField(max_length=400, blank=True)
    race = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["circuit", "number"], name="one_note_per_corner")]

    def __str__(self) -> str:
        return f"corner {self.number}"
