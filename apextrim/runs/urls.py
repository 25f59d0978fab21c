from django.urls import path

from . import views

urlpatterns = [
    path("", views.bench, name="runs_bench"),
    path("add/", views.add, name="add_run"),
    path("virtual/", views.virtual, name="virtual_run"),
    path("<int:run_id>/", views.run, name="run"),
    path("<int:run_id>/laps/", views.type_laps, name="type_laps"),
    path("<int:run_id>/import/", views.import_file, name="import_laps"),
    path("<int:run_id>/file/", views.export_file, name="export_laps"),
    path("<int:run_id>/laps/<int:lap_id>/", views.mark, name="mark_lap"),
    path("<int:run_id>/delete/", views.delete, name="delete_run"),
    path("<int:run_id>/restore/", views.restore, name="restore_run"),
]
