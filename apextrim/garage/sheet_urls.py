from django.urls import path

from . import ask_views, carry_views, figure_views, reading_views, search_views, stint_views
from . import sheet_views as views

urlpatterns = [
    path("", views.bench, name="sheet_bench"),
    path("answer/", views.answer, name="sheet_answer"),
    path("effect/", views.effect, name="sheet_effect"),
    path("steps/", ask_views.steps, name="sheet_steps"),
    path("save/", views.save, name="save_sheet"),
    path("fork/", views.fork, name="fork_sheet"),
    path("in-car/", views.in_car, name="put_in_car"),
    path("difference/", views.difference, name="sheet_difference"),
    path("import/", views.import_file, name="import_sheet"),
    path("<int:sheet_id>/effects/", ask_views.effects, name="sheet_effects"),
    path("<int:sheet_id>/effects.csv", ask_views.effects_file, name="sheet_effects_file"),
    path("<int:sheet_id>/advice/", ask_views.advice, name="sheet_advice"),
    path("<int:sheet_id>/search/", search_views.ask, name="search_sheet"),
    path("search/<int:search_id>/", search_views.show, name="search"),
    path("search/<int:search_id>/part/", search_views.part, name="search_part"),
    path("search/<int:search_id>/stop/", search_views.stop, name="stop_search"),
    path("<int:sheet_id>/figures/", figure_views.figures, name="sheet_figures"),
    path("<int:sheet_id>/carry/", carry_views.carry, name="carry_sheet"),
    path("<int:sheet_id>/readings/", reading_views.readings, name="sheet_readings"),
    path("<int:sheet_id>/check/", figure_views.check, name="check_sheet"),
    path("<int:sheet_id>/stint/", stint_views.stint, name="sheet_stint"),
    path("<int:sheet_id>/card/", views.card, name="sheet_card"),
    path("<int:sheet_id>/file/", views.export_file, name="export_sheet"),
]
