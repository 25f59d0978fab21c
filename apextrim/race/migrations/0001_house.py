import django.db.models.deletion
from django.db import migrations, models

from apextrim.library.migrations._take_over import TakeOver


class Migration(migrations.Migration):
    initial = True

    dependencies = [
        ("events", "0001_house"),
    ]

    operations = [
        TakeOver(
            operations=[
                migrations.CreateModel(
                    name="KeptPlan",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("stints", models.JSONField(help_text="list of [compound, laps, fuel in litres]")),
                        ("time_s", models.FloatField()),
                        ("start_fuel_l", models.FloatField()),
                        ("text", models.CharField(max_length=200)),
                        ("made_at", models.DateTimeField()),
                        ("event", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="plans", to="events.event")),
                    ],
                    options={
                        "ordering": ["made_at"],
                    },
                ),
            ],
            tables={"race_keptplan": "race_keptplan"},
        ),
    ]
