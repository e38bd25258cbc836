from django.urls import path

from kalyptra.bench import views

urlpatterns = [
    path("shots/<int:pk>/", views.bench, name="bench"),
    path("shots/<int:pk>/setup.json", views.setup_file, name="setup-file"),
    path("shots/<int:pk>/report/", views.report, name="report"),
    path("renders/<int:pk>/result.mp4", views.rendered_file, name="rendered-file"),
]
