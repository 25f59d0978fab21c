"""All addresses; everything needs a signed-in owner except what `accounts` lists as public."""

from django.urls import include, path

from apextrim.events.views import home
from apextrim.runs.logger_views import take

urlpatterns = [
    path("", home, name="home"),
    path("", include("apextrim.accounts.urls")),
    path("garage/circuits/", include("apextrim.circuits.garage_urls")),
    path("garage/", include("apextrim.garage.urls")),
    path("logger/", take, name="logger"),
    path("events/", include("apextrim.archive.urls")),
    path("events/", include("apextrim.events.urls")),
    path("events/<int:event_id>/circuit/", include("apextrim.circuits.urls")),
    path("events/<int:event_id>/sheet/", include("apextrim.garage.sheet_urls")),
    path("events/<int:event_id>/runs/", include("apextrim.runs.urls")),
    path("events/<int:event_id>/verdicts/", include("apextrim.verdicts.urls")),
    path("events/<int:event_id>/race/", include("apextrim.race.urls")),
]

handler403 = "apextrim.ui.views.forbidden"
handler404 = "apextrim.ui.views.not_found"
handler500 = "apextrim.ui.views.server_error"
