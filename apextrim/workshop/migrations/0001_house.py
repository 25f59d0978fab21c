import django.db.models.deletion
from django.db import migrations, models

from apextrim.library.migrations._take_over import TakeOver


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('events', '0001_house'),
        ('sheets', '0001_house'),
    ]

    operations = [
        TakeOver(
            operations=[
            migrations.CreateModel(
                name='Search',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('aim', models.CharField(max_length=12)),
                    ('options', models.JSONField(help_text='free items by key, limits and laps')),
                    ('state', models.CharField(choices=[('running', 'running'), ('done', 'done'), ('stopped', 'stopped'), ('failed', 'failed')], default='running', max_length=8)),
                    ('stop', models.BooleanField(default=False)),
                    ('progress', models.FloatField(default=0.0)),
                    ('result', models.JSONField(null=True)),
                    ('error', models.CharField(blank=True, max_length=400)),
                    ('made_at', models.DateTimeField()),
                    ('beat_at', models.DateTimeField(help_text='when the worker was last heard of')),
                    ('event', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='searches', to='events.event')),
                    ('sheet', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='searches', to='sheets.sheet')),
                ],
                options={
                    'ordering': ['-made_at'],
                },
            ),
            ],
            tables={'garage_search': 'workshop_search'},
        ),
    ]
