import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

from apextrim.library.migrations._take_over import TakeOver


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('events', '0001_house'),
        ('sheets', '0001_house'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        TakeOver(
            operations=[
            migrations.CreateModel(
                name='LoggerKey',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('name', models.CharField(max_length=40)),
                    ('digest', models.CharField(max_length=64, unique=True)),
                    ('made_at', models.DateTimeField()),
                    ('heard_at', models.DateTimeField(blank=True, null=True)),
                    ('withdrawn_at', models.DateTimeField(blank=True, null=True)),
                    ('event', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='logger_keys', to='events.event')),
                ],
                options={
                    'ordering': ['pk'],
                },
            ),
            migrations.CreateModel(
                name='Run',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('number', models.PositiveIntegerField()),
                    ('front', models.CharField(help_text='compound at the front', max_length=40)),
                    ('rear', models.CharField(help_text='compound at the rear', max_length=40)),
                    ('tyre_age', models.FloatField(help_text='laps on the tyres before this run')),
                    ('fuel_l', models.FloatField(help_text='fuel at the start [l]')),
                    ('note', models.CharField(blank=True, max_length=200)),
                    ('fuel_end_l', models.FloatField(blank=True, help_text='fuel at the end [l], if measured', null=True)),
                    ('tyre_set', models.CharField(blank=True, help_text='which set of tyres', max_length=24)),
                    ('tags', models.JSONField(default=dict, help_text='what may be judged besides the sheet, by name')),
                    ('words', models.JSONField(default=dict, help_text='what the car did, by phase of the corner')),
                    ('logger_run', models.CharField(blank=True, help_text='what its logger calls it', max_length=40)),
                    ('closed', models.BooleanField(default=True, help_text='false while a logger still sends its laps')),
                    ('conditions', models.JSONField(help_text='the file of apexcore.circuit.conditions.Conditions at the time')),
                    ('by_virtual_driver', models.BooleanField(default=False)),
                    ('made_at', models.DateTimeField()),
                    ('deleted_at', models.DateTimeField(blank=True, null=True)),
                    ('event', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='runs', to='events.event')),
                    ('logger', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='runs', to='runs.loggerkey')),
                    ('session', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='runs', to='events.session')),
                    ('sheet', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='runs', to='sheets.sheet')),
                ],
                options={
                    'ordering': ['number'],
                },
            ),
            migrations.CreateModel(
                name='Lap',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('number', models.PositiveIntegerField()),
                    ('time_s', models.FloatField()),
                    ('kind', models.CharField(default='timed', max_length=8)),
                    ('fuel_l', models.FloatField(help_text='fuel burnt on it [l], if measured', null=True)),
                    ('sectors_s', models.JSONField(default=list, help_text='times of its sectors [s], if taken')),
                    ('top_ms', models.FloatField(help_text='its highest speed [m/s], if measured', null=True)),
                    ('why', models.CharField(blank=True, help_text='why it is set aside', max_length=80)),
                    ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='laps', to='runs.run')),
                ],
                options={
                    'ordering': ['number'],
                },
            ),
            migrations.CreateModel(
                name='Sample',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('t_ms', models.PositiveIntegerField(help_text='since the run began [ms]')),
                    ('channels', models.JSONField()),
                    ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='samples', to='runs.run')),
                ],
                options={
                    'ordering': ['t_ms'],
                },
            ),
            migrations.CreateModel(
                name='TyreReading',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('values', models.JSONField(help_text='kPa, degC and % by field and wheel')),
                    ('conditions', models.JSONField(help_text='the weather then')),
                    ('made_at', models.DateTimeField()),
                    ('event', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='readings', to='events.event')),
                    ('run', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='readings', to='runs.run')),
                    ('sheet', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='readings', to='sheets.sheet')),
                ],
                options={
                    'ordering': ['-made_at', '-pk'],
                },
            ),
            migrations.CreateModel(
                name='ColumnMatch',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('header', models.CharField(help_text='digest of the header line', max_length=64)),
                    ('columns', models.JSONField(help_text='place of each column of ours')),
                    ('owner', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='column_matches', to=settings.AUTH_USER_MODEL)),
                ],
                options={
                    'constraints': [models.UniqueConstraint(fields=('owner', 'header'), name='one_match_per_header')],
                },
            ),
            migrations.AddConstraint(
                model_name='run',
                constraint=models.UniqueConstraint(fields=('event', 'number'), name='one_run_per_number'),
            ),
            migrations.AddConstraint(
                model_name='run',
                constraint=models.UniqueConstraint(condition=models.Q(('logger_run', ''), _negated=True), fields=('logger', 'logger_run'), name='one_run_per_logger_run'),
            ),
            migrations.AddConstraint(
                model_name='lap',
                constraint=models.UniqueConstraint(fields=('run', 'number'), name='one_lap_per_number'),
            ),
            migrations.AddConstraint(
                model_name='lap',
                constraint=models.CheckConstraint(condition=models.Q(('time_s__gt', 0)), name='lap_time_above_zero'),
            ),
            migrations.AddConstraint(
                model_name='sample',
                constraint=models.UniqueConstraint(fields=('run', 't_ms'), name='one_sample_per_moment'),
            ),
            ],
            tables={'runs_run': 'runs_run', 'runs_lap': 'runs_lap', 'runs_loggerkey': 'runs_loggerkey', 'runs_sample': 'runs_sample', 'runs_columnmatch': 'runs_columnmatch', 'garage_tyrereading': 'runs_tyrereading'},
        ),
    ]
