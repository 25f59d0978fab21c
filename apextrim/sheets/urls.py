from django.urls import path

from . import check_views, views

urlpatterns = [
    path("", views.bench, name="sheet_bench"),
    path("answer/", views.answer, name="sheet_answer"),
    path("effect/", views.effect, name="sheet_effect"),
    path("save/", views.save, name="save_sheet"),
    path("first/", views.first, name="first_sheet"),
    path("fork/", views.fork, name="fork_sheet"),
    path("in-car/", views.in_car, name="put_in_car"),
    path("difference/", views.difference, name="sheet_difference"),
    path("import/", views.import_file, name="import_sheet"),
    path("<int:sheet_id>/check/", check_views.check, name="check_sheet"),
    path("<int:sheet_id>/card/", views.card, name="sheet_card"),
    path("<int:sheet_id>/file/", views.export_file, name="export_sheet"),
]
