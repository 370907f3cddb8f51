from django.urls import path

from yuplet_server.projects import views

urlpatterns = [
    path("projects", views.ProjectsView.as_view()),
    path("room", views.RoomView.as_view()),
    path("projects/<int:project>", views.ProjectView.as_view()),
    path("projects/<int:project>/restore", views.RestoreProjectView.as_view()),
    path("projects/<int:project>/members", views.MembersView.as_view()),
    path("projects/<int:project>/members/<int:user>", views.MemberView.as_view()),
]
