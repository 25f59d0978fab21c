"""The weekend that a new account may copy: the demo's finished round as an event's file, without traces. `make sample` calls it."""

import os
import tempfile
from pathlib import Path

TARGET = Path(__file__).parents[1] / "apextrim" / "archive" / "sample" / "weekend.json"


def main() -> None:
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "apextrim.settings")
    with tempfile.TemporaryDirectory() as folder:
        os.environ["APEX_VAR"] = folder
        django.setup()
        from django.core.management import call_command

        from apexcore.formats.values_json import write_value
        from apextrim.archive.actions import event_file
        from apextrim.events.models import Event

        call_command("migrate", verbosity=0)
        call_command("load_demo", verbosity=0)
        event = Event.objects.get(name="The Sallowmere Trophy, round 1")
        text = write_value(event_file(event, traces=False))
    TARGET.parent.mkdir(exist_ok=True)
    TARGET.write_text(text)
    print(f"sample: {len(text) / 1000:.0f} kB")


if __name__ == "__main__":
    main()
