"""Samples as rows of JSON become chunks of columns; the laps' traces are made of those when a run is next looked at."""

import django.db.models.deletion
import numpy as np
from django.db import migrations, models

from apexcore.formats.packed import pack

_MOST = 100_000


def to_chunks(apps, schema_editor):
    Sample, Chunk = apps.get_model("runs", "Sample"), apps.get_model("runs", "Chunk")
    for run_id in Sample.objects.order_by().values_list("run_id", flat=True).distinct():
        rows = list(Sample.objects.filter(run_id=run_id).order_by("t_ms").values_list("t_ms", "channels"))
        for first in range(0, len(rows), _MOST):
            part = rows[first : first + _MOST]
            t = np.array([t_ms for t_ms, _ in part]) / 1000.0
            names = sorted({name for _, channels in part for name in channels})[:100]
            columns = {name: np.array([channels.get(name, np.nan) for _, channels in part], dtype=np.float64) for name in names}
            Chunk.objects.create(run_id=run_id, first_s=t[0], last_s=t[-1], rows=len(t), data=pack(t, columns))


def to_samples(apps, schema_editor):
    from apexcore.formats.packed import unpack

    Sample, Chunk = apps.get_model("runs", "Sample"), apps.get_model("runs", "Chunk")
    for chunk in Chunk.objects.order_by("pk"):
        packed = unpack(bytes(chunk.data))
        rows = []
        for k, t in enumerate(packed.t):
            channels = {name: float(column[k]) for name, column in packed.columns.items() if np.isfinite(column[k])}
            rows.append(Sample(run_id=chunk.run_id, t_ms=round(1000 * float(t)), channels=channels))
        Sample.objects.bulk_create(rows, batch_size=500, ignore_conflicts=True)


class Migration(migrations.Migration):
    dependencies = [("runs", "0002_words_for_balance"), ("events", "0001_house")]

    operations = [
        migrations.CreateModel(
            name="Chunk",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("first_s", models.FloatField(help_text="its first moment on the logger's clock [s]")),
                ("last_s", models.FloatField(help_text="its last moment [s]")),
                ("rows", models.PositiveIntegerField()),
                ("data", models.BinaryField(help_text="of apexcore.formats.packed")),
                ("run", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="chunks", to="runs.run")),
            ],
            options={"ordering": ["pk"]},
        ),
        migrations.RunPython(to_chunks, to_samples),
        migrations.DeleteModel(name="Sample"),
    ]
