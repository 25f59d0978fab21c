"""The rows of the queue: fair shares, lost workers, stopping, and what an owner is told. The workers are in test_workers."""

import os
import subprocess
from datetime import timedelta
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from apexcore.errors import FileRejected
from apextrim.work import queries, queue, worker
from apextrim.work.kinds import KINDS, Again, Done, Kind, Line
from apextrim.work.models import Job
from apextrim.work.queue import TooMuchWork


@pytest.fixture
def owner(db: None) -> User:
    return User.objects.create_user("racer")


@pytest.fixture(autouse=True)
def kinds(monkeypatch: pytest.MonkeyPatch) -> None:
    def steps(job: Job, line: Line) -> Done | Again:
        left = job.arguments["left"]
        return Again(0.1, {"left": left - 1}, 0.5) if left else Done(["All steps done."], "/events/")

    def refused(job: Job, line: Line) -> Done:
        raise FileRejected(["Line 3: no lap.", "Line 4: neither."])

    def broken(job: Job, line: Line) -> Done:
        raise ZeroDivisionError

    def length(job: Job, line: Line) -> Done:
        return Done([f"{len(job.file)} bytes."])

    for name, work in {"steps": steps, "refused": refused, "broken": broken, "length": length}.items():
        monkeypatch.setitem(KINDS, name, Kind(name, "bench", work))
    monkeypatch.setitem(KINDS, "device", Kind("device", "devices", length))


def ask(owner: User, kind: str = "length", **arguments: Any) -> Job:
    return queue.ask(owner, kind, f"{kind} of {owner}", arguments, b"12345")


def test_one_runs_four_wait_and_the_sixth_is_told(owner: User, carried: list[int], settings: Any) -> None:
    settings.WORKERS = 9
    jobs = [ask(owner) for _ in range(5)]
    assert set(carried) == {jobs[0].pk}  # the others wait in their rows, not in the queue
    with pytest.raises(TooMuchWork, match="one of them"):
        ask(owner)
    other = ask(User.objects.create_user("other"))
    device = ask(owner, "device")  # a lane of its own
    assert list(dict.fromkeys(carried)) == [jobs[0].pk, other.pk, device.pk] and Job.objects.count() == 7


def test_each_end_sends_the_owners_next_in_order(owner: User, carried: list[int]) -> None:
    jobs = [ask(owner) for _ in range(4)]
    for done in range(4):
        assert list(dict.fromkeys(carried)) == [job.pk for job in jobs[: done + 1]]
        worker.work_off(carried[-1], beats=False)
    assert set(Job.objects.values_list("state", flat=True)) == {"done"}
    assert Job.objects.filter(told=["5 bytes."], data=None).count() == 4  # files are gone with the end


def test_a_key_that_comes_twice_or_early_does_nothing(owner: User, carried: list[int]) -> None:
    first, second = ask(owner, "steps", left=3), ask(owner)
    Job.objects.filter(pk=first.pk).update(state="running")
    worker.work_off(second.pk, beats=False)
    second.refresh_from_db()
    assert second.state == "waiting"  # its owner has one under way
    Job.objects.filter(pk=first.pk).update(state="done")
    worker.work_off(first.pk, beats=False)
    worker.work_off(999_999, beats=False)
    first.refresh_from_db()
    assert first.tries == 0


@pytest.mark.usefixtures("at_once")
def test_a_job_in_steps_ends_and_is_not_tried_too_often(owner: User) -> None:
    job = ask(owner, "steps", left=6)
    job.refresh_from_db()
    assert (job.state, job.told, job.tries) == ("done", ["All steps done."], 1)


@pytest.mark.usefixtures("at_once")
@pytest.mark.parametrize(("kind", "told"), [("refused", ["Line 3: no lap.", "Line 4: neither."]), ("broken", [worker.BROKEN])])
def test_what_goes_wrong_is_told_and_the_next_one_begins(owner: User, kind: str, told: list[str]) -> None:
    job = ask(owner, kind)
    job.refresh_from_db()
    assert (job.state, job.told) == ("failed", told)
    after = ask(owner)
    after.refresh_from_db()
    assert after.state == "done"


def test_a_waiting_job_is_stopped_at_once_and_the_next_is_sent(owner: User, carried: list[int]) -> None:
    jobs = [ask(owner) for _ in range(3)]
    queue.stop(jobs[0])
    jobs[0].refresh_from_db()
    assert jobs[0].state == "stopped" and jobs[0].data is None and carried == [jobs[0].pk, jobs[1].pk]


def dead_process() -> int:
    done = subprocess.Popen(["true"])
    done.wait()
    return done.pid


def test_a_job_whose_worker_died_is_begun_anew_and_given_up_in_the_end(owner: User, carried: list[int]) -> None:
    job = ask(owner)
    host = queue.this_worker().rpartition(":")[0]
    for tries in (1, 2, 3):
        Job.objects.filter(pk=job.pk).update(state="running", tries=tries, worker=f"{host}:{dead_process()}", beat_at=timezone.now())
        queue.recover()
        job.refresh_from_db()
        assert job.state == ("waiting" if tries < 3 else "failed"), tries
    assert set(carried) == {job.pk} and "ended 3 times" in job.told[0]


def test_a_job_that_is_alive_is_left_alone(owner: User, carried: list[int]) -> None:
    job = ask(owner)
    old = timezone.now() - timedelta(hours=9)  # as after a lid that was closed over night
    Job.objects.filter(pk=job.pk).update(state="running", tries=1, worker=queue.this_worker(), beat_at=old)
    queue.recover()
    job.refresh_from_db()
    assert job.state == "running"
    Job.objects.filter(pk=job.pk).update(worker="elsewhere:1")
    queue.recover()
    job.refresh_from_db()
    assert job.state == "waiting" and os.getpid() > 0


def test_what_an_earlier_worker_says_late_counts_no_more(owner: User) -> None:
    job = ask(owner)
    Job.objects.filter(pk=job.pk).update(state="running", tries=1)
    job.refresh_from_db()
    queue.put_back(job)
    worker._end(job, "done", ["too late"])
    job.refresh_from_db()
    assert job.state == "waiting" and job.told == []


def test_a_key_lost_from_the_queue_is_sent_again(owner: User, carried: list[int]) -> None:
    job = ask(owner)
    queue.recover()  # it is its turn: its key may be there twice, which does no harm
    assert carried == [job.pk] * 2
    device = ask(owner, "device")
    queue.recover()
    assert carried.count(device.pk) == 1  # a minute has not passed
    Job.objects.filter(pk=device.pk).update(sent_at=timezone.now() - timedelta(minutes=2))
    queue.recover()
    assert carried.count(device.pk) == 2


def test_the_pages_say_how_it_stands(owner: User, settings: Any, tmp_path: Any) -> None:
    settings.VAR = tmp_path
    client = Client()
    client.force_login(owner)
    assert "No job yet" in client.get("/jobs/").content.decode()
    first, second = ask(owner), ask(owner)
    assert "No worker is running" in client.get(f"/jobs/{first.pk}/").content.decode()
    queries.beat_file().touch()
    page = client.get(f"/jobs/{second.pk}/part/").content.decode()
    assert "Waiting for 1 of your jobs" in page and "every 700ms" in page
    Job.objects.filter(pk=first.pk).update(state="running", begun_at=timezone.now(), progress=0.4)
    assert "40 %" in client.get(f"/jobs/{first.pk}/part/").content.decode()
    client.post(f"/jobs/{first.pk}/stop/", {"back": "https://example.com/"})
    page = client.get("/jobs/").content.decode()
    assert "stopping" in page and "every 2s" in page
    Job.objects.filter(pk=first.pk).update(state="done", told=["It is there."], address="/events/", stop=False)
    led = client.get(f"/jobs/{first.pk}/part/")
    assert led["HX-Redirect"] == "/events/" and "It is there." in client.get("/events/").content.decode()
    assert client.get(f"/jobs/{first.pk}/").status_code == 302 and "It is there." not in client.get("/events/").content.decode()


def test_a_stranger_neither_sees_nor_stops_it(owner: User) -> None:
    job = ask(owner)
    client = Client()
    client.force_login(User.objects.create_user("stranger"))
    for address in (f"/jobs/{job.pk}/", f"/jobs/{job.pk}/part/"):
        assert client.get(address).status_code == 404
    assert client.post(f"/jobs/{job.pk}/stop/").status_code == 404
    assert b"length of" not in client.get("/jobs/").content


def test_of_many_owners_one_computes_less_than_there_are_workers_and_the_first_comes_first(
    owner: User, carried: list[int], settings: Any
) -> None:
    settings.WORKERS = 3
    owners = [User.objects.create_user(f"racer {k}") for k in range(4)]
    jobs = [ask(owner) for owner in owners]
    Job.objects.filter(pk__in=[jobs[0].pk, jobs[1].pk]).update(state="running", worker=queue.this_worker())
    device = ask(owners[3], "device")
    carried.clear()
    for job in jobs[2:]:
        worker.work_off(job.pk, beats=False)
    assert carried == [] and Job.objects.filter(state="waiting", lane="bench").count() == 2
    worker.work_off(device.pk, beats=False)
    device.refresh_from_db()
    assert device.state == "done"  # a device does not wait for searches
    Job.objects.filter(pk=jobs[0].pk).update(state="done")
    worker.work_off(jobs[3].pk, beats=False)
    assert Job.objects.get(pk=jobs[3].pk).state == "waiting"  # it is the turn of the one before it
    queue.recover()
    assert set(carried) == {jobs[2].pk}
    worker.work_off(jobs[2].pk, beats=False)
    assert set(carried) == {jobs[2].pk, jobs[3].pk}  # whoever ends wakes the next one
    worker.work_off(jobs[3].pk, beats=False)
    assert {job.state for job in Job.objects.filter(pk__in=[jobs[2].pk, jobs[3].pk])} == {"done"}


def test_a_page_that_is_asked_for_again_does_not_read_the_file(owner: User) -> None:
    job = ask(owner)
    client = Client()
    client.force_login(owner)
    with CaptureQueriesContext(connection) as asked:
        assert client.get(f"/jobs/{job.pk}/part/").status_code == client.get("/jobs/").status_code == 200
    assert not [query["sql"] for query in asked if '"work_job"."data"' in query["sql"]]


def test_every_bench_shows_what_is_under_way_and_what_just_ended(owner: User, settings: Any, tmp_path: Any) -> None:
    settings.VAR = tmp_path
    client, stranger = Client(), Client()
    client.force_login(owner)
    stranger.force_login(User.objects.create_user("stranger"))
    assert not queries.has_open(owner.pk) and "hx-get" not in client.get("/jobs/now/").content.decode()
    first, second = ask(owner), ask(owner)
    Job.objects.filter(pk=first.pk).update(state="running", begun_at=timezone.now(), progress=0.4)
    page = client.get("/jobs/now/").content.decode()
    assert queries.has_open(owner.pk) and "40 %" in page and "waiting" in page and "every 1500ms" in page
    assert "length of" not in stranger.get("/jobs/now/").content.decode()
    Job.objects.filter(pk__in=(first.pk, second.pk)).update(state="done", ended_at=timezone.now(), address="/events/")
    page = client.get("/jobs/now/").content.decode()
    assert page.count("<b>done</b>") == 2 and 'href="/events/"' in page and "hx-get" not in page
    Job.objects.update(ended_at=timezone.now() - timedelta(minutes=2))
    assert "length of" not in client.get("/jobs/now/").content.decode()
