"""Keeping a race plan."""

from datetime import datetime

from django.db import transaction
from django.utils import timezone

from apexcore.race.fuel import filled_l
from apexcore.race.plans import Plan
from apextrim.events.models import Event
from apextrim.events.thread import tie
from apextrim.modelling import cases

from .gap_presenters import tyre_names
from .models import KeptPlan


@transaction.atomic
def keep_plan(event: Event, plan: Plan, at: datetime | None = None) -> KeptPlan:
    """Keeps a plan as it stands now, on the thread."""
    car = cases.car_of(event)
    stints = [
        [stint.compound, stint.laps, round(stint.fuel_l, 2), stint.age, int(stint.fitted), round(stint.level.saved_pct, 2)]
        for stint in plan.stints
    ]
    parts = ", ".join(f"{stint.laps} {tyre_names(car, stint.compound)[0]}" for stint in plan.stints)
    text = f"{parts}; start with {filled_l(plan.stints[0].fuel_l):.1f} l"
    row = KeptPlan.objects.create(
        event=event, stints=stints, time_s=plan.time_s, start_fuel_l=plan.stints[0].fuel_l, text=text[:200], made_at=at or timezone.now()
    )
    tie(event, "plan", "Plan", text, row.pk, at)
    return row
