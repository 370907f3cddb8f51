from django.urls import path

from yuplet_server.jobs import views

urlpatterns = [
    path("jobs/<int:job>", views.JobView.as_view()),
    path("jobs/<int:job>/cancel", views.CancelView.as_view()),
]
