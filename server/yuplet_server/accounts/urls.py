from django.urls import path

from yuplet_server.accounts import views

urlpatterns = [
    path("session", views.SessionView.as_view()),
    path("sessions", views.SessionsView.as_view()),
    path("sessions/<int:number>", views.OtherSessionView.as_view()),
    path("may-upload", views.MayUploadView.as_view()),
    path("service", views.ServiceView.as_view()),
    path("two-step", views.TwoStepView.as_view()),
    path("two-step/secret", views.NewSecretView.as_view()),
    path("two-step/codes", views.RecoveryCodesView.as_view()),
    path("two-step/off", views.TwoStepOffView.as_view()),
    path("password", views.PasswordView.as_view()),
]
