from django.urls import path

from yuplet_server.shelf import views

urlpatterns = [
    path("shelf", views.ShelfView.as_view()),
    path("shelf/<int:kept>", views.KeptView.as_view()),
    path("shelf/<int:kept>/picture", views.KeptPictureView.as_view()),
    path("illustrations/<int:illustration>/keep", views.KeepView.as_view()),
    path("illustrations/<int:illustration>/shelf/<int:kept>/fit", views.FitView.as_view()),
    path("illustrations/<int:illustration>/shelf/<int:kept>/use", views.UseView.as_view()),
]
