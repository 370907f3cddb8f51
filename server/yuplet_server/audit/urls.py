from django.urls import path

from yuplet_server.audit import views

urlpatterns = [path("audit", views.EntriesView.as_view())]
