from django.db import migrations

WORDS = {'washes wide': 'understeer', 'even': 'neutral', 'steps out': 'oversteer'}


def say(apps, words):
    Run = apps.get_model('runs', 'Run')
    for run in Run.objects.exclude(words={}).iterator():
        run.words = {phase: words.get(does, does) for phase, does in run.words.items()}
        run.save(update_fields=['words'])


def to_terms(apps, schema_editor):
    """What the car did is said in the field's terms."""
    say(apps, WORDS)


def to_before(apps, schema_editor):
    say(apps, {new: old for old, new in WORDS.items()})


class Migration(migrations.Migration):

    dependencies = [('runs', '0001_house')]

    operations = [migrations.RunPython(to_terms, to_before)]
