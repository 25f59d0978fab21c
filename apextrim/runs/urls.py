from django.urls import path

from . import logger_views, match_views, views

urlpatterns = [
    path("", views.bench, name="runs_bench"),
    path("laps.csv", views.export_all, name="export_all_laps"),
    path("add/", views.add, name="add_run"),
    path("live/", logger_views.live, name="live"),
    path("live/part/", logger_views.live_part, name="live_part"),
    path("live/key/", logger_views.make_key, name="make_key"),
    path("live/key/<int:key_id>/withdraw/", logger_views.withdraw, name="withdraw_key"),
    path("live/close/", logger_views.close, name="close_runs"),
    path("live/simulate/", logger_views.simulate, name="simulate_logger"),
    path("virtual/", views.virtual, name="virtual_run"),
    path("<int:run_id>/", views.run, name="run"),
    path("<int:run_id>/laps/", views.type_laps, name="type_laps"),
    path("<int:run_id>/weather/", views.weather, name="run_weather"),
    path("<int:run_id>/import/", views.import_file, name="import_laps"),
    path("<int:run_id>/match/", match_views.match, name="match_laps"),
    path("<int:run_id>/file/", views.export_file, name="export_laps"),
    path("<int:run_id>/laps/<int:lap_id>/", views.mark, name="mark_lap"),
]
