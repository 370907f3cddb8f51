from django.urls import path

from yuplet_server.people import views

urlpatterns = [
    path("accounts", views.AccountsView.as_view()),
    path("accounts/invitations", views.InvitationsView.as_view()),
    path("accounts/<int:account>", views.AccountView.as_view()),
    path("accounts/<int:account>/new-password", views.NewPasswordView.as_view()),
    path("projects/<int:project>/invitations", views.ProjectInvitationsView.as_view()),
    path("come-in/<str:token>", views.LinkView.as_view()),
    path("come-in/<str:token>/mail", views.SendLinkView.as_view()),
]
