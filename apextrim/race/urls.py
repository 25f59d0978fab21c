from django.urls import path

from . import views

urlpatterns = [
    path("", views.bench, name="race_bench"),
    path("keep/", views.keep, name="keep_plan"),
    path("<int:plan_id>/", views.kept, name="kept_plan"),
]
