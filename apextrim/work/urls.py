from django.urls import path

from . import views

urlpatterns = [
    path("", views.jobs, name="jobs"),
    path("now/", views.now, name="jobs_now"),
    path("<int:job_id>/", views.show, name="job"),
    path("<int:job_id>/part/", views.part, name="job_part"),
    path("<int:job_id>/stop/", views.stop, name="stop_job"),
]
