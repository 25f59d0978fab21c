"""What the palette finds: the benches, sheets, runs, corners and items of the event that is open, other events, cars, words, acts."""

from collections.abc import Iterator
from dataclasses import dataclass

from django.urls import reverse

from apexcore.errors import ApexError
from apexcore.quantities.lexicon import found as words_found
from apextrim.accounts.owned import Person, owned
from apextrim.events.models import Event
from apextrim.library.models import Car, Circuit
from apextrim.modelling import cases

#: What is listed at most, and of one kind; runs and sheets that are looked through.
MOST, _OF_A_KIND, _LOOKED_AT = 14, 6, 400


@dataclass(frozen=True)
class Hit:
    """:param words: what it is called
    :param kind: what it is
    :param url: where it is"""

    words: str
    kind: str
    url: str


#: Acts that are found anywhere: words, and the name of the address.
_ACTS = (
    ("Events", "events"),
    ("Garage: cars and circuits", "garage"),
    ("Your car in two minutes", "quick_car"),
    ("Your circuit in two minutes", "quick_circuit"),
    ("Build a circuit from tables", "new_circuit"),
    ("Circuit from a recording", "survey_file"),
    ("Units", "units"),
    ("Bin: what was deleted", "bin"),
    ("Jobs", "jobs"),
    ("Glossary", "glossary"),
)
#: Acts of an event.
_OF_EVENT = (
    ("Brief", "brief"),
    ("Lap bench", "lap_bench"),
    ("Sheet bench", "sheet_bench"),
    ("Runs bench", "runs_bench"),
    ("Verdicts bench", "verdicts_bench"),
    ("Race bench", "race_bench"),
    ("Two laps side by side", "traces"),
    ("Import a recording", "choose_recording"),
    ("Plan a test", "test_plan"),
    ("Qualifying: which lap", "qualifying"),
    ("The model's track record, calibrate", "track_record"),
    ("Compare visits", "visits"),
    ("Item limits", "item_rules"),
    ("Class limits: weight, power, ballast", "class_limits"),
    ("What misses cost, and where to save", "lap_costs"),
    ("Book", "lap_book"),
    ("Trainer", "trainer"),
    ("Lap card to print", "lap_card"),
    ("Whole thread", "thread"),
    ("Live: runs as they come in", "live"),
    ("Race mode", "begin_race"),
    ("Ten thousand races", "race_odds"),
    ("Save, spend and duel", "race_spend"),
    ("Next event from this one", "next_event"),
    ("Export event", "take_out_event"),
)


def find(user: Person, event: Event | None, text: str) -> list[Hit]:
    """What a few letters name, the nearest first; the acts of the place where nothing is typed.

    :param event: that is open
    """
    wanted = " ".join(text.lower().split())[:60]
    hits = list(_named(user, event, wanted))
    hits = [hit for hit in hits if all(part in hit.words.lower() for part in wanted.split())]
    counts: dict[str, int] = {}
    shown = []
    for hit in sorted(hits, key=lambda hit: (_far(hit.words.lower(), wanted), hit.kind == "word")):
        counts[hit.kind] = counts.get(hit.kind, 0) + 1
        if counts[hit.kind] <= _OF_A_KIND or not wanted:
            shown.append(hit)
    return shown[:MOST]


def _far(words: str, wanted: str) -> int:
    """How far words are from what was typed: 0 where they begin with it, 1 where one of them does, else 2."""
    if words.startswith(wanted):
        return 0
    return 1 if f" {wanted}" in words else 2


def _named(user: Person, event: Event | None, wanted: str) -> Iterator[Hit]:
    if event is not None:
        yield from (Hit(words, "here", reverse(name, args=[event.pk])) for words, name in _OF_EVENT)
        yield from _of_event(event)
    yield from (Hit(words, "page", reverse(name)) for words, name in _ACTS)
    if wanted:
        yield from (
            Hit(row.name, "event", reverse("brief", args=[row.pk])) for row in owned(Event, user).filter(deleted_at=None)[:_LOOKED_AT]
        )
        yield from (Hit(row.name, "car", reverse("edit_car", args=[row.pk])) for row in owned(Car, user)[:_LOOKED_AT])
        yield from (Hit(str(row), "circuit", reverse("edit_circuit", args=[row.pk])) for row in owned(Circuit, user)[:_LOOKED_AT])
        yield from (Hit(entry.name, "word", f"{reverse('glossary')}#{entry.key}") for entry in words_found(wanted))


def _of_event(event: Event) -> Iterator[Hit]:
    for sheet in event.sheets.order_by("-number")[:_LOOKED_AT]:
        yield Hit(f"{sheet.name} {sheet.reason}"[:80], "sheet", f"{reverse('sheet_bench', args=[event.pk])}?sheet={sheet.pk}")
    for run in event.runs.filter(deleted_at=None).select_related("sheet").order_by("-number")[:_LOOKED_AT]:
        yield Hit(f"{run.name} on {run.sheet.name} {run.note}"[:80].strip(), "run", reverse("run", args=[event.pk, run.pk]))
    try:
        spans, items = cases.spans_of(event), cases.car_of(event).items
    except ApexError:
        return
    for span in spans:
        yield Hit(f"Corner {span.number} {span.name}".strip(), "corner", reverse("corner", args=[event.pk, span.number]))
    for item in items:
        yield Hit(item.name, "item", f"{reverse('sheet_bench', args=[event.pk])}#item-{item.key}")
