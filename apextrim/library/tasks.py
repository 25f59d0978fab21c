"""A large circuit file as a piece of work beside the requests."""

from django.urls import reverse

from apextrim.work.kinds import Done, Line, work_of
from apextrim.work.models import Job

from .circuit_actions import add_circuit
from .stored import parsed_circuit


@work_of("circuit")
def import_circuit(job: Job, line: Line) -> Done:
    """Adds a circuit from its file."""
    asked = job.arguments
    circuit, new = add_circuit(job.owner, job.file, asked["name"], asked["width_m"], asked["closed"], asked.get("typed", False))
    unsure = parsed_circuit(circuit.data).unsure_words()
    told = f"{circuit} is imported. {unsure}".rstrip() if new else f"{circuit} is there already, the same; nothing was added."
    return Done([told], reverse("garage"))
