from django.urls import path

from . import qualifying_views, views

urlpatterns = [
    path("", views.bench, name="race_bench"),
    path("qualifying/", qualifying_views.qualifying, name="qualifying"),
    path("pairs/", views.leave_out, name="leave_out_pairs"),
    path("keep/", views.keep, name="keep_plan"),
    path("<int:plan_id>/", views.kept, name="kept_plan"),
]
