from django.urls import path

from . import advice_views, carry_views, class_views, effect_views, figure_views, search_views, stint_views

urlpatterns = [
    path("steps/", effect_views.steps, name="sheet_steps"),
    path("<int:sheet_id>/effects/", effect_views.effects, name="sheet_effects"),
    path("<int:sheet_id>/effects/lines/", effect_views.refine, name="refine_effects"),
    path("<int:sheet_id>/effects.csv", effect_views.effects_file, name="sheet_effects_file"),
    path("<int:sheet_id>/advice/", advice_views.advice, name="sheet_advice"),
    path("<int:sheet_id>/search/", search_views.ask, name="search_sheet"),
    path("<int:sheet_id>/class/", class_views.ask, name="class_search"),
    path("search/<int:search_id>/", search_views.show, name="search"),
    path("search/<int:search_id>/part/", search_views.part, name="search_part"),
    path("search/<int:search_id>/stop/", search_views.stop, name="stop_search"),
    path("<int:sheet_id>/figures/", figure_views.figures, name="sheet_figures"),
    path("<int:sheet_id>/carry/", carry_views.carry, name="carry_sheet"),
    path("<int:sheet_id>/stint/", stint_views.stint, name="sheet_stint"),
]
