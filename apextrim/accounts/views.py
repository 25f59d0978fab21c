"""Signing in and out. These and the static files are the only public pages."""

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils.decorators import method_decorator
from django.views.decorators.http import require_POST


@method_decorator(login_not_required, name="dispatch")
class SignIn(LoginView):
    """The sign-in page; in demo mode with one button that enters."""

    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True
    extra_context = {"demo": settings.DEMO}


@login_not_required
@require_POST
def enter_demo(request: HttpRequest) -> HttpResponse:
    """Signs the demo's racer in; does not exist outside demo mode."""
    user = get_user_model().objects.filter(username=settings.DEMO_USER).first()
    if not settings.DEMO or user is None:
        raise Http404
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return redirect("home")
