"""How far a search is moves from its row to a job of the queue."""

import django.db.models.deletion
from django.apps.registry import Apps
from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor


def make_jobs(apps: Apps, schema_editor: BaseDatabaseSchemaEditor) -> None:
    """A job for every search; one that runs lost its thread with the server that ran it."""
    Job = apps.get_model("work", "Job")
    for search in apps.get_model("workshop", "Search").objects.select_related("event", "sheet"):
        over = search.state != "running"
        told = [search.error] if search.error else []
        search.job = Job.objects.create(
            owner_id=search.event.owner_id, kind="search", lane="bench", words=f"{search.event.name}: search"[:160], arguments={},
            state=search.state if over else "failed", told=told if over else ["The server was stopped during this search."],
            progress=1.0, made_at=search.made_at, begun_at=search.made_at, ended_at=search.beat_at, seen=True,
            address=f"/events/{search.event_id}/sheet/search/{search.pk}/", tries=1,
        )  # fmt: skip
        search.save(update_fields=["job"])


class Migration(migrations.Migration):
    dependencies = [("workshop", "0001_house"), ("work", "0001_house")]

    operations = [
        migrations.AddField("search", "job", models.OneToOneField("work.Job", models.CASCADE, null=True, related_name="search")),
        migrations.RunPython(make_jobs),
        migrations.AlterField(
            "search", "job", models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name="search", to="work.job")
        ),
        *(migrations.RemoveField("search", name) for name in ("state", "stop", "progress", "error", "beat_at")),
    ]
