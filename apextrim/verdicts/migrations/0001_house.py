import django.db.models.deletion
from django.db import migrations, models

from apextrim.library.migrations._take_over import TakeOver


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('events', '0001_house'),
    ]

    operations = [
        TakeOver(
            operations=[
            migrations.CreateModel(
                name='Calibration',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('scales', models.JSONField(help_text='of each of apexcore.judge.calibration.SCALES, 1 is the book')),
                    ('spread', models.JSONField(help_text='half the 95 % interval of each')),
                    ('driver', models.FloatField(help_text="change of the driver's share of the envelope")),
                    ('driver_spread', models.FloatField()),
                    ('laps', models.PositiveIntegerField()),
                    ('before_s', models.FloatField()),
                    ('after_s', models.FloatField()),
                    ('level_before_s', models.FloatField()),
                    ('level_after_s', models.FloatField()),
                    ('made_at', models.DateTimeField()),
                    ('event', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='calibrations', to='events.event')),
                ],
                options={
                    'ordering': ['-made_at', '-pk'],
                },
            ),
            migrations.CreateModel(
                name='KeptVerdict',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('by', models.CharField(default='sheet', help_text='kind of difference: sheet, tyres or tag:NAME', max_length=60)),
                    ('key_a', models.CharField(help_text='A as the address of the bench has it', max_length=90)),
                    ('key_b', models.CharField(help_text='B likewise', max_length=90)),
                    ('side_a', models.CharField(help_text='A in words', max_length=90)),
                    ('side_b', models.CharField(help_text='B in words', max_length=90)),
                    ('margin_s', models.FloatField()),
                    ('mean_s', models.FloatField()),
                    ('low_s', models.FloatField()),
                    ('high_s', models.FloatField()),
                    ('sentence', models.CharField(max_length=400)),
                    ('made_at', models.DateTimeField()),
                    ('event', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='verdicts', to='events.event')),
                ],
                options={
                    'ordering': ['made_at'],
                },
            ),
            migrations.CreateModel(
                name='PlannedTest',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('differences', models.JSONField(help_text='of each difference: kind, key and words of its off side, key and words of its on side')),
                    ('order', models.JSONField(help_text='of each run, which differences are on')),
                    ('laps', models.PositiveIntegerField(help_text='timed laps a run')),
                    ('difference_s', models.FloatField()),
                    ('power', models.FloatField()),
                    ('made_at', models.DateTimeField()),
                    ('event', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='tests', to='events.event')),
                ],
                options={
                    'ordering': ['-made_at'],
                },
            ),
            ],
            tables={'verdicts_keptverdict': 'verdicts_keptverdict', 'verdicts_plannedtest': 'verdicts_plannedtest', 'verdicts_calibration': 'verdicts_calibration'},
        ),
    ]
