from django.urls import path

from . import break_even_views, corner_views, plan_views, record_views, views

urlpatterns = [
    path("", views.bench, name="verdicts_bench"),
    path("break-even/", break_even_views.page, name="break_even"),
    path("corners/", corner_views.corners, name="verdict_corners"),
    path("keep/", views.keep, name="keep_verdict"),
    path("plan/", plan_views.plan, name="test_plan"),
    path("plan/keep/", plan_views.keep_plan, name="keep_test"),
    path("plan/<int:test_id>/", plan_views.planned, name="planned_test"),
    path("record/", record_views.track_record, name="track_record"),
    path("record/hold/", record_views.hold, name="hold_model"),
    path("record/<int:calibration_id>/apply/", record_views.apply, name="apply_calibration"),
    path("record/take-back/", record_views.take_back, name="take_back_calibration"),
    path("visits/", record_views.compare_visits, name="visits"),
    path("<int:verdict_id>/", views.kept, name="kept_verdict"),
]
