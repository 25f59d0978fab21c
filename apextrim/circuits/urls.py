from django.urls import path

from . import views

urlpatterns = [
    path("", views.bench, name="circuit_bench"),
    path("notes/", views.save_notes, name="save_notes"),
]
