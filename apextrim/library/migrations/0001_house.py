import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

from apextrim.library.migrations._take_over import TakeOver


def forget_the_apps_of_before(apps, schema_editor):
    """Permissions on models of apps that are no more."""
    apps.get_model('contenttypes', 'ContentType').objects.filter(app_label__in=('garage', 'circuits')).delete()


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('contenttypes', '0002_remove_content_type_name'),
        ('auth', '0012_alter_user_first_name_max_length'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        TakeOver(
            operations=[
            migrations.CreateModel(
                name='Circuit',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('key', models.CharField(max_length=40)),
                    ('name', models.CharField(max_length=60)),
                    ('layout', models.CharField(max_length=60)),
                    ('data', models.TextField()),
                    ('previous', models.TextField(blank=True, help_text='the file before the last change, for its undo')),
                    ('owner', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='circuits', to=settings.AUTH_USER_MODEL)),
                ],
                options={
                    'ordering': ['name'],
                },
            ),
            migrations.CreateModel(
                name='CornerNote',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('number', models.PositiveIntegerField()),
                    ('qualifying', models.CharField(blank=True, max_length=400)),
                    ('race', models.CharField(blank=True, max_length=400)),
                    ('circuit', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='notes', to='library.circuit')),
                ],
                options={
                    'ordering': ['number'],
                },
            ),
            migrations.CreateModel(
                name='Car',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('key', models.CharField(max_length=40)),
                    ('name', models.CharField(max_length=60)),
                    ('data', models.TextField()),
                    ('previous', models.TextField(blank=True, help_text='the file before the last change, for its undo')),
                    ('owner', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='cars', to=settings.AUTH_USER_MODEL)),
                ],
                options={
                    'ordering': ['name'],
                    'constraints': [models.UniqueConstraint(fields=('owner', 'key'), name='one_car_per_key')],
                },
            ),
            migrations.AddConstraint(
                model_name='circuit',
                constraint=models.UniqueConstraint(fields=('owner', 'key'), name='one_circuit_per_key'),
            ),
            migrations.AddConstraint(
                model_name='cornernote',
                constraint=models.UniqueConstraint(fields=('circuit', 'number'), name='one_note_per_corner'),
            ),
            ],
            tables={'garage_car': 'library_car', 'circuits_circuit': 'library_circuit', 'circuits_cornernote': 'library_cornernote'},
        ),
        migrations.RunPython(forget_the_apps_of_before, migrations.RunPython.noop),
    ]
