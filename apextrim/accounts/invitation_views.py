"""Links that make an account: who may make them, the list of one's own, and the page that one opens."""

from typing import Any

from django.contrib import messages
from django.contrib.auth import login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import UserCreationForm, UsernameField
from django.contrib.auth.models import User
from django.db import IntegrityError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST

from . import invitations
from .models import Installation, Invitation
from .owned import owned, owned_or_404


class JoinForm(UserCreationForm):  # type: ignore[type-arg]
    """A name and a password, twice; what is expected of them stands on the page, once."""

    username = UsernameField(label="Name", max_length=40, validators=[User.username_validator])
    field_order = ("username", "password1", "password2")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for field in self.fields.values():
            field.help_text = ""
        self.fields["password2"].label = "Password, once more"


@require_http_methods(["GET", "POST"])
def mine(request: HttpRequest) -> HttpResponse:
    """The links of the account, and a new one."""
    user: User = request.user  # type: ignore[assignment]
    keeps = invitations.keeps(user)
    if not (may := invitations.may_invite(user)) and not keeps:
        raise Http404
    if request.method == "POST":
        if not may:
            raise Http404
        if invitations.invite(user, request.POST.get("words", "")) is None:
            messages.error(request, f"{invitations.MOST_OPEN} of your links wait already. End one of them first.")
        return redirect("invitations")
    now, lines = timezone.now(), []
    for row in owned(Invitation, user).select_related("used_by")[:60]:
        is_open = row.used_at is None and row.until > now
        link = request.build_absolute_uri(reverse("join", args=[invitations.token_of(row)])) if is_open and may else ""
        lines.append((row, link, is_open))
    context = {"lines": lines, "may": may, "keeps": keeps, "choices": Installation.INVITERS, "inviters": invitations.inviters()}
    return render(request, "accounts/invitations.html", {**context, "days": invitations.HOLDS.days})


@require_POST
def end(request: HttpRequest, invitation_id: int) -> HttpResponse:
    """Ends a link that nobody used."""
    row = owned_or_404(Invitation, request.user, pk=invitation_id)
    if row.used_at is None:
        row.delete()
        messages.success(request, "That link opens nothing any more.")
    else:
        messages.error(request, "That link has been used; the account that it made stays.")
    return redirect("invitations")


@require_POST
def choose_inviters(request: HttpRequest) -> HttpResponse:
    """Sets who may invite; whoever keeps the installation does."""
    if not invitations.keeps(request.user):
        raise Http404
    if invitations.set_inviters(request.POST.get("inviters", "")):
        messages.success(request, "Saved.")
    else:
        messages.error(request, f"Expected one of {', '.join(words for _, words in Installation.INVITERS)}; nothing was changed.")
    return redirect("invitations")


@login_not_required
@require_http_methods(["GET", "POST"])
def join(request: HttpRequest, token: str) -> HttpResponse:
    """Makes an account by a link, and signs it in."""
    row = invitations.opened_by(token)
    if row is None or request.user.is_authenticated:
        return render(request, "accounts/no_invitation.html", {"held": row is not None}, status=200 if row is not None else 404)
    form = JoinForm(request.POST if request.method == "POST" else None)
    if form.is_valid():
        user = form.save(commit=False)
        try:
            used = invitations.use(token, user)
        except IntegrityError:  # somebody took the name at the same moment
            form.add_error("username", "A user with that username already exists.")
        else:
            if not used:
                return render(request, "accounts/no_invitation.html", {"held": False}, status=404)
            login(request, user, backend="django.contrib.auth.backends.ModelBackend")
            words = "The account is yours, with cars and circuits to begin with in its garage."
            messages.success(request, f"Welcome, {user.username}. {words}")
            return redirect("home")
    return render(request, "accounts/join.html", {"form": form, "maker": row.maker}, status=422 if form.is_bound else 200)
