import django.db.models.deletion
from django.db import migrations, models

from apextrim.library.migrations._take_over import TakeOver


def mark_the_sheet_in_the_car(apps, schema_editor):
    """The event said which sheet was in its car; now the sheet says it."""
    Event, Sheet = apps.get_model('events', 'Event'), apps.get_model('sheets', 'Sheet')
    Sheet.objects.filter(pk__in=Event.objects.exclude(sheet_in_car=None).values('sheet_in_car')).update(in_car=True)


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('events', '0001_house'),
    ]

    operations = [
        TakeOver(
            operations=[
            migrations.CreateModel(
                name='Sheet',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('number', models.PositiveIntegerField()),
                    ('reason', models.CharField(max_length=200)),
                    ('values', models.JSONField(help_text="value of every item, by key, in the item's unit")),
                    ('modelled_s', models.FloatField(help_text="modelled lap against the parent's [s], at the time of saving", null=True)),
                    ('made_at', models.DateTimeField()),
                    ('event', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sheets', to='events.event')),
                    ('parent', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='children', to='sheets.sheet')),
                ],
                options={
                    'ordering': ['number'],
                    'constraints': [models.UniqueConstraint(fields=('event', 'number'), name='one_sheet_per_number')],
                },
            ),
            ],
            tables={'garage_sheet': 'sheets_sheet'},
        ),
        migrations.AddField('sheet', 'in_car', models.BooleanField(default=False, help_text='whether it is the sheet in the car; one sheet of an event at most')),
        migrations.RunPython(mark_the_sheet_in_the_car, migrations.RunPython.noop),
        migrations.AddConstraint('sheet', models.UniqueConstraint(condition=models.Q(('in_car', True)), fields=('event',), name='one_sheet_in_the_car')),
    ]
