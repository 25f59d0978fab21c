from django.urls import path

from . import views

urlpatterns = [
    path("", views.jobs, name="jobs"),
    path("now/", views.now, name="jobs_now"),
    path("files/", views.files, name="made_files"),
    path("<int:job_id>/", views.show, name="job"),
    path("<int:job_id>/part/", views.part, name="job_part"),
    path("<int:job_id>/file/", views.file, name="made_file"),
    path("<int:job_id>/stop/", views.stop, name="stop_job"),
]
