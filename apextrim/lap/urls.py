from django.urls import path

from . import views

urlpatterns = [
    path("", views.bench, name="lap_bench"),
    path("notes/", views.save_notes, name="save_notes"),
]
