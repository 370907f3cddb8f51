from django.urls import path

from yuplet_server.transfer import views

urlpatterns = [
    path("projects/move-in", views.MoveInView.as_view()),
    path("projects/<int:project>/archives", views.ArchivesView.as_view()),
    path("illustrations/<int:illustration>/duplicate", views.DuplicateView.as_view()),
    path("illustrations/<int:illustration>/move", views.MoveView.as_view()),
    path("archives/<int:archive>/file", views.ArchiveFileView.as_view()),
]
