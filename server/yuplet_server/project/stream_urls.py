"""The one address of the process that holds streams."""

from django.urls import path

from yuplet_server.events import views

urlpatterns = [path("api/illustrations/<int:illustration>/events", views.events)]
