from django.urls import path

from . import views

urlpatterns = [
    path("", views.bench, name="verdicts_bench"),
    path("keep/", views.keep, name="keep_verdict"),
    path("<int:verdict_id>/", views.kept, name="kept_verdict"),
]
