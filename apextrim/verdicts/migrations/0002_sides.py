"""Verdicts of any difference: what was two sheets becomes two sides."""

from django.apps.registry import Apps
from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor


def sheets_to_sides(apps: Apps, editor: BaseDatabaseSchemaEditor) -> None:
    for row in apps.get_model("verdicts", "KeptVerdict").objects.select_related("sheet_a", "sheet_b"):
        row.key_a, row.key_b = str(row.sheet_a_id), str(row.sheet_b_id)
        row.side_a, row.side_b = f"S{row.sheet_a.number}", f"S{row.sheet_b.number}"
        row.save(update_fields=["key_a", "key_b", "side_a", "side_b"])


class Migration(migrations.Migration):
    dependencies = [("verdicts", "0001_initial"), ("garage", "0005_logbook")]

    operations = [
        migrations.AddField("keptverdict", "by", models.CharField(default="sheet", help_text="kind of difference: sheet, tyres or tag:NAME", max_length=60)),
        *[
            migrations.AddField("keptverdict", name, models.CharField(default="", help_text=words, max_length=90), preserve_default=False)
            for name, words in (
                ("key_a", "A as the address of the bench has it"), ("key_b", "B likewise"), ("side_a", "A in words"), ("side_b", "B in words"),
            )
        ],
        migrations.RunPython(sheets_to_sides, migrations.RunPython.noop),
        migrations.RemoveField("keptverdict", "sheet_a"),
        migrations.RemoveField("keptverdict", "sheet_b"),
    ]  # fmt: skip
