from django.db import migrations


def drop_its_index(apps, schema_editor):
    """On a database taken over from the old layout the column still has the index of a foreign key, which would hold it."""
    connection = schema_editor.connection
    with connection.cursor() as cursor:
        found = connection.introspection.get_constraints(cursor, 'events_event')
    for name, one in found.items():
        if one['index'] and one['columns'] == ['sheet_in_car_id']:
            schema_editor.execute(f'DROP INDEX {schema_editor.quote_name(name)}')


class Migration(migrations.Migration):

    dependencies = [('events', '0001_house'), ('sheets', '0001_house')]

    operations = [
        migrations.RunPython(drop_its_index, migrations.RunPython.noop),
        migrations.RemoveField('event', 'sheet_in_car'),
    ]
