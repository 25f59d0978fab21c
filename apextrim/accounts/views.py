"""Signing in and out. These and the static files are the only public pages."""

from typing import Any

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import PasswordChangeForm
from django.contrib.auth.views import LoginView, PasswordChangeView
from django.db import DatabaseError, transaction
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import redirect, render
from django.urls import reverse_lazy
from django.utils.decorators import method_decorator
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from apexcore.quantities.units import CHOICES, SETS, WORDS
from apextrim.ui.back import back_to
from apextrim.ui.faults import cause_of, plain_page

from . import browsers, invitations, leaving, preferences, tour
from .context import is_shared


@method_decorator(login_not_required, name="dispatch")
class SignIn(LoginView):
    """The sign-in page; in demo mode with one button that enters."""

    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True
    extra_context = {"demo": settings.DEMO}


def locked_out(request: HttpRequest, credentials: object = None, *_: object, **__: object) -> HttpResponse:
    """Too many failed sign-ins of one name from one address."""
    minutes = int(settings.AXES_COOLOFF_TIME.total_seconds() / 60)
    response = plain_page(
        429, "Too many failed sign-ins", f"Wait {minutes} minutes, then try again. Whoever runs this server can set a new password at once."
    )
    response["Retry-After"] = str(60 * minutes)
    return response


class PasswordForm(PasswordChangeForm):
    """The old password and the new one, twice; what is expected of it stands on the page, once."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for field in self.fields.values():
            field.help_text = ""


class ChangePassword(PasswordChangeView):
    """A new password; every other session of the account ends with it."""

    template_name = "accounts/password.html"
    form_class = PasswordForm
    success_url = reverse_lazy("home")

    def form_valid(self, form: PasswordChangeForm) -> HttpResponse:
        """Changes it, and says so."""
        messages.success(self.request, "Your password is changed. Every other browser has to sign in again.")
        return super().form_valid(form)

    def dispatch(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
        """The demo's password is everybody's and stays."""
        if is_shared(request):
            raise Http404
        return super().dispatch(request, *args, **kwargs)


@require_GET
def account(request: HttpRequest) -> HttpResponse:
    """The account: its password, where it is signed in, its data and its end. The demo's is everybody's."""
    if is_shared(request):
        raise Http404
    user = request.user
    context = {
        "browsers": browsers.signed_in(request), "leaves_at": leaving.leaves_at(user),
        "invites": invitations.may_invite(user) or invitations.keeps(user),
    }  # fmt: skip
    return render(request, "accounts/account.html", context)


@require_POST
def end_session(request: HttpRequest) -> HttpResponse:
    """Signs the account out on another browser, or on every other one."""
    if is_shared(request):
        raise Http404
    ended = browsers.end(request, request.POST.get("browser", ""))
    messages.success(request, "Signed out there." if ended else "That browser is signed out already.")
    return redirect("account")


@require_http_methods(["GET", "POST"])
def units(request: HttpRequest) -> HttpResponse:
    """The units in which the racer reads and types."""
    if request.method == "POST":
        preferences.choose_units(request.user, preferences.chosen(request.POST))  # type: ignore[arg-type]
        messages.success(request, "Units saved: every page shows and takes them from now on. Files stay as they are.")
        return redirect("units")
    have = preferences.units_of(request.user)
    lines = [(name, WORDS[name], choices, have.chosen.get(name, choices[0])) for name, choices in CHOICES.items()]
    return render(request, "accounts/units.html", {"lines": lines, "sets": SETS})


@require_POST
def go_on_tour(request: HttpRequest) -> HttpResponse:
    """The next stop of the tour, or its end."""
    number, there = request.POST.get("to", ""), request.POST.get("next", "")
    stop = int(number) if number.isdecimal() and len(number) < 3 else tour.OVER
    if is_shared(request):
        tour.go_on_in(request, stop)
    else:
        tour.go_on(request.user, stop)  # type: ignore[arg-type]
    return back_to(there, "home")


@login_not_required
@require_GET
def health(request: HttpRequest) -> HttpResponse:
    """For whatever watches the server: 200 while the database answers and can be written, else 503."""
    try:
        with transaction.atomic():
            get_user_model().objects.exists()
    except DatabaseError as error:
        found = cause_of(error)
        return HttpResponse(f"{found[0] if found else 'The database does not answer'}\n", status=503, content_type="text/plain")
    return HttpResponse("ok\n", content_type="text/plain")


@login_not_required
@require_POST
def enter_demo(request: HttpRequest) -> HttpResponse:
    """Signs the demo's racer in, with the tour, where something is going on; does not exist outside demo mode."""
    user = get_user_model().objects.filter(username=settings.DEMO_USER).first()
    if not settings.DEMO or user is None:
        raise Http404
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    tour.go_on_in(request, 1)
    return redirect("going_on")
