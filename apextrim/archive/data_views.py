"""All that an account has, asked for as one archive."""

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from apexcore.errors import ApexError
from apextrim.accounts.context import is_shared
from apextrim.work import queue


@require_POST
def everything(request: HttpRequest) -> HttpResponse:
    """Asks for the archive; it is written beside the requests."""
    if is_shared(request):
        raise Http404
    try:
        job = queue.ask(request.user, "everything", "All my data", {})
    except ApexError as error:
        messages.error(request, str(error))
        return redirect("account")
    return redirect("job", job.pk)
