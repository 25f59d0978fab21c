from django.urls import path, register_converter

from . import car_views, export_views, import_views, live_views, run_views, survey_views, views
from .converters import TraceKind

register_converter(TraceKind, "trace_kind")

urlpatterns = [
    path("", views.page, name="traces"),
    path("live/", live_views.page, name="live_gap"),
    path("live/part/", live_views.part, name="live_gap_part"),
    path("data/", views.data, name="traces_data"),
    path("recording/", import_views.choose, name="choose_recording"),
    path("recording/<int:upload_id>/", import_views.match, name="match_recording"),
    path("recording/<int:upload_id>/forget/", import_views.forget, name="forget_recording"),
    path("run/<int:run_id>/", run_views.corners, name="run_corners"),
    path("run/<int:run_id>/car/", car_views.car, name="run_car"),
    path("run/<int:run_id>/circuit/", survey_views.from_run, name="survey_run"),
    path("run/<int:run_id>/circuit/fit/", survey_views.fit, name="fit_circuit"),
    path("run/<int:run_id>/circuit/correct/", survey_views.correct, name="correct_circuit"),
    path("run/<int:run_id>/channels.<trace_kind:kind>", export_views.run, name="export_run_traces"),
    path("run/<int:run_id>/lap-<int:number>.<trace_kind:kind>", export_views.lap, name="export_lap_trace"),
]
