from django.urls import path

from . import car_views, circuit_views, place_views, quick_views, sketch_views, views

urlpatterns = [
    path("", views.garage, name="garage"),
    path("cars/quick/", quick_views.quick, name="quick_car"),
    path("cars/import/", views.import_car, name="import_car"),
    path("cars/<int:car_id>/file/", views.export_car, name="export_car"),
    path("cars/<int:car_id>/", car_views.edit, name="edit_car"),
    path("cars/<int:car_id>/drivers/", place_views.places, name="drivers_places"),
    path("cars/<int:car_id>/copy/", car_views.copy, name="copy_car"),
    path("cars/<int:car_id>/undo/", car_views.undo, name="undo_car"),
    path("circuits/quick/", sketch_views.sketch, name="quick_circuit"),
    path("circuits/quick/drawn/", sketch_views.drawn, name="circuit_drawn"),
    path("circuits/new/", circuit_views.new, name="new_circuit"),
    path("circuits/new/growing/", circuit_views.new_growing, name="new_circuit_growing"),
    path("circuits/<int:circuit_id>/growing/", circuit_views.growing, name="circuit_growing"),
    path("circuits/import/", views.import_circuit, name="import_circuit"),
    path("circuits/<int:circuit_id>/", circuit_views.edit, name="edit_circuit"),
    path("circuits/<int:circuit_id>/undo/", circuit_views.undo, name="undo_circuit"),
    path("circuits/<int:circuit_id>/reverse/", views.reverse_circuit, name="reverse_circuit"),
    path("circuits/<int:circuit_id>/file/", views.export_circuit, name="export_circuit"),
]
