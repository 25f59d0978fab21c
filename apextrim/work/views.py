"""Jobs: the list, one under way, stopping it, and the files that jobs make."""

from typing import Any

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET, require_POST

from apextrim.ui.back import back_to

from . import made, queries, queue
from .models import Job


@require_GET
def jobs(request: HttpRequest) -> HttpResponse:
    """The owner's jobs, the newest first."""
    rows = list(queries.jobs_of(request.user))
    waits = {job.pk: queries.waits_for(job) for job in rows if job.state == "waiting"}
    context = {"jobs": [(job, waits.get(job.pk, "")) for job in rows], "more": len(rows) == queries.MOST_SHOWN}
    return render(request, "work/jobs.html", {**context, "open": any(job.is_open for job in rows)})


@require_GET
def now(request: HttpRequest) -> HttpResponse:
    """What is under way, for the top of every bench; asked for again while anything is."""
    rows = queries.now_of(request.user)
    return render(request, "work/_now.html", {"jobs": rows, "open": any(job.is_open for job in rows)})


def _context(request: HttpRequest, job_id: int) -> dict[str, Any]:
    job = queries.job_for(request.user, job_id)
    return {"job": job, "waits": queries.waits_for(job) if job.state == "waiting" else ""}


def _came_of_it(request: HttpRequest, job: Job) -> str:
    """Address of what came of a job that is done, with its sentences as messages of that page the first time; else empty."""
    if job.state != "done" or not url_has_allowed_host_and_scheme(job.address, allowed_hosts=None):
        return ""
    if not job.seen:
        Job.objects.filter(pk=job.pk).update(seen=True)
        for text in job.told:
            messages.success(request, text)
    return job.address


@require_GET
def show(request: HttpRequest, job_id: int) -> HttpResponse:
    """A job under way or its end; one that is done leads on to what came of it."""
    context = _context(request, job_id)
    if address := _came_of_it(request, context["job"]):
        return redirect(address)
    return render(request, "work/job.html", context)


@require_GET
def part(request: HttpRequest, job_id: int) -> HttpResponse:
    """The part of the page that is asked for again while a job is open."""
    context = _context(request, job_id)
    if address := _came_of_it(request, context["job"]):
        return HttpResponse(headers={"HX-Redirect": address})
    return render(request, "work/_job.html", context)


@require_POST
def stop(request: HttpRequest, job_id: int) -> HttpResponse:
    """Asks a job to stop."""
    job = queries.job_for(request.user, job_id)
    queue.stop(job)
    back = request.POST.get("back", "")
    return back_to(back, "jobs")


@require_GET
def files(request: HttpRequest) -> HttpResponse:
    """Files that jobs of the owner have made."""
    return render(request, "work/files.html", {"files": made.made_for(request.user), "days": made.KEPT.days})


@require_GET
def file(request: HttpRequest, job_id: int) -> FileResponse:
    """One of them."""
    job = queries.job_for(request.user, job_id)
    path = made.file_of(job)
    if path is None:
        raise Http404
    kind = "application/zip" if path.suffix == ".zip" else "application/json"
    return FileResponse(path.open("rb"), as_attachment=True, filename=path.name.partition("-")[2], content_type=kind)
