"""All addresses; everything needs a signed-in owner except what `accounts` lists as public."""

from django.urls import include, path
from django.views.generic import RedirectView

from apextrim.archive import bin_views, data_views, finder_views
from apextrim.events.views import home
from apextrim.race.timing_views import take as take_timing
from apextrim.runs.logger_views import take
from apextrim.traces.survey_views import from_file
from apextrim.ui.views import glossary

urlpatterns = [
    path("", home, name="home"),
    path("", include("apextrim.accounts.urls")),
    path("jobs/", include("apextrim.work.urls")),
    path("garage/circuits/recording/", from_file, name="survey_file"),
    path("garage/", include("apextrim.library.urls")),
    path("logger/", take, name="logger"),
    path("timing/", take_timing, name="timing"),
    path("glossary/", glossary, name="glossary"),
    path("find/", finder_views.answers, name="find"),
    path("bin/", bin_views.page, name="bin"),
    path("bin/empty/", bin_views.empty, name="empty_bin"),
    path("bin/<str:kind_key>/<int:pk>/delete/", bin_views.delete, name="delete"),
    path("bin/<str:kind_key>/<int:pk>/restore/", bin_views.restore, name="restore"),
    path("bin/<str:kind_key>/<int:pk>/for-good/", bin_views.for_good, name="for_good"),
    path("account/data/", data_views.everything, name="my_data"),
    path("events/", include("apextrim.archive.urls")),
    path("events/", include("apextrim.events.urls")),
    path("events/<int:event_id>/lap/", include("apextrim.lap.urls")),
    path("events/<int:event_id>/sheet/", include("apextrim.sheets.urls")),
    path("events/<int:event_id>/sheet/", include("apextrim.workshop.urls")),
    path("events/<int:event_id>/sheet/", include("apextrim.readings.urls")),
    path("events/<int:event_id>/runs/", include("apextrim.runs.urls")),
    path("events/<int:event_id>/traces/", include("apextrim.traces.urls")),
    path("events/<int:event_id>/verdicts/", include("apextrim.verdicts.urls")),
    path("events/<int:event_id>/race/", include("apextrim.race.urls")),
    # addresses of before, which people keep
    path("events/<int:event_id>/circuit/", RedirectView.as_view(pattern_name="lap_bench", permanent=True), name="circuit_bench_of_before"),
]

handler403 = "apextrim.ui.views.forbidden"
handler404 = "apextrim.ui.views.not_found"
handler500 = "apextrim.archive.views.server_error"
