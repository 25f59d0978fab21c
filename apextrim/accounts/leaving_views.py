"""Asking for the end of an account, and keeping it after all."""

from typing import Any

from django import forms
from django.contrib import messages
from django.contrib.auth.models import User
from django.contrib.auth.signals import user_logged_in
from django.dispatch import receiver
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from . import invitations, leaving
from .context import is_shared


class LeaveForm(forms.Form):
    """The password: a browser that was left open ends no account."""

    password = forms.CharField(label="Your password", widget=forms.PasswordInput(attrs={"autocomplete": "current-password"}))

    def __init__(self, user: User, *args: Any) -> None:
        super().__init__(*args)
        self._user = user

    def clean_password(self) -> str:
        """It must be the account's."""
        told: str = self.cleaned_data["password"]
        if not self._user.check_password(told):
            raise forms.ValidationError("This is not the password of the account.")
        return told


@receiver(user_logged_in)
def _say(sender: object, request: HttpRequest, user: User, **_: Any) -> None:
    """Tells whoever signs in that the account is to go."""
    at = leaving.leaves_at(user)
    if at is not None:
        messages.warning(request, f"This account goes for good on {at:%-d %B %Y}. Under Account you can keep it.")


@require_http_methods(["GET", "POST"])
def leave(request: HttpRequest) -> HttpResponse:
    """Asks, with the password, then lets the account wait for its end."""
    if is_shared(request):
        raise Http404
    user: User = request.user  # type: ignore[assignment]
    form = LeaveForm(user, request.POST if request.method == "POST" else None)
    if form.is_valid():
        leaving.leave(user)
        return redirect("account")
    context = {"form": form, "days": leaving.WAITS.days, "keeps": invitations.keeps(user)}
    return render(request, "accounts/leave.html", context, status=422 if form.is_bound else 200)


@require_POST
def stay(request: HttpRequest) -> HttpResponse:
    """Keeps an account that was to go."""
    if is_shared(request):
        raise Http404
    leaving.stay(request.user)  # type: ignore[arg-type]
    messages.success(request, "The account stays.")
    return redirect("account")
