import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

from apextrim.library.migrations._take_over import TakeOver


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('library', '0001_house'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        TakeOver(
            operations=[
            migrations.CreateModel(
                name='Event',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('name', models.CharField(max_length=80)),
                    ('real_car', models.BooleanField(default=False, help_text='a real car shows the cautions; a simulator does not')),
                    ('driver', models.CharField(default='solid midfielder', help_text='level of apexcore.lap.driver.LEVELS that models assume', max_length=20)),
                    ('conditions', models.JSONField(default=dict, help_text='the file of apexcore.circuit.conditions.Conditions')),
                    ('rules', models.JSONField(default=dict, help_text='the file of apexcore.race.rules.RaceRules')),
                    ('item_rules', models.JSONField(default=dict, help_text="least and greatest value of items under the event's rules, by key")),
                    ('calibration', models.JSONField(default=dict, help_text='scales of the car that the racer applied; empty for the book car')),
                    ('sheet_in_car', models.BigIntegerField(null=True, db_column='sheet_in_car_id')),  # until sheets know it
                    ('made_at', models.DateTimeField()),
                    ('deleted_at', models.DateTimeField(blank=True, null=True)),
                    ('car', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='events', to='library.car')),
                    ('circuit', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='events', to='library.circuit')),
                    ('owner', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='events', to=settings.AUTH_USER_MODEL)),
                ],
                options={
                    'ordering': ['-made_at'],
                },
            ),
            migrations.CreateModel(
                name='Session',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('name', models.CharField(max_length=40)),
                    ('kind', models.CharField(choices=[('practice', 'practice'), ('qualifying', 'qualifying'), ('race', 'race')], max_length=12)),
                    ('starts_at', models.DateTimeField()),
                    ('event', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sessions', to='events.event')),
                ],
                options={
                    'ordering': ['starts_at', 'pk'],
                },
            ),
            migrations.AddField(
                model_name='event',
                name='session',
                field=models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='events.session'),
            ),
            migrations.CreateModel(
                name='Knot',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('at', models.DateTimeField()),
                    ('kind', models.CharField(choices=[('brief', 'brief'), ('sheet', 'sheet'), ('run', 'run'), ('verdict', 'verdict'), ('plan', 'plan')], max_length=8)),
                    ('label', models.CharField(max_length=24)),
                    ('text', models.CharField(max_length=240)),
                    ('target', models.PositiveBigIntegerField(help_text='key of the row it tells of', null=True)),
                    ('hidden', models.BooleanField(default=False, help_text='its row is deleted, and could come back')),
                    ('event', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='knots', to='events.event')),
                ],
                options={
                    'ordering': ['at', 'pk'],
                    'indexes': [models.Index(fields=['event', 'at'], name='events_knot_event_i_cb1f80_idx')],
                },
            ),
            ],
            tables={'events_event': 'events_event', 'events_session': 'events_session', 'events_knot': 'events_knot'},
        ),
    ]
