from django.urls import path

from yuplet_server.receivers import views

urlpatterns = [
    path("illustrations/<int:illustration>/deliveries", views.DeliveriesView.as_view()),
    path("deliveries/<int:delivery>", views.DeliveryView.as_view()),
    path("illustrations/<int:illustration>/remarks", views.RemarksView.as_view()),
    path("remarks/<int:remark>/answer", views.AnswerView.as_view()),
    path("received/<str:token>", views.ReceivedView.as_view()),
    path("received/<str:token>/picture", views.ReceivedPictureView.as_view()),
    path("received/<str:token>/package", views.ReceivedPackageView.as_view()),
    path("received/<str:token>/remarks", views.ReceivedRemarksView.as_view()),
]
