from django.urls import path

from yuplet_server.events import views

urlpatterns = [path("illustrations/<int:illustration>/events", views.EventsView.as_view())]
