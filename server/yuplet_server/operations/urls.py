from django.urls import path

from yuplet_server.operations import views

urlpatterns = [path("queue", views.QueueView.as_view())]
