"""Lines that an earlier lap engine found go: they are no sheet's own any more, and on a tight circuit they have other stations."""

from django.db import migrations


def forget(apps, schema_editor):
    apps.get_model("lap", "FoundLine").objects.all().delete()


class Migration(migrations.Migration):
    dependencies = [("lap", "0001_found_line")]

    operations = [migrations.RunPython(forget, migrations.RunPython.noop)]
