from django.urls import path

from yuplet_server.arrangement import views

urlpatterns = [
    path("illustrations/<int:illustration>/arrangement", views.ArrangementView.as_view()),
    path("illustrations/<int:illustration>/steps", views.StepsView.as_view()),
    path("illustrations/<int:illustration>/names", views.NamesView.as_view()),
    path("illustrations/<int:illustration>/selection", views.SelectionView.as_view()),
    path("illustrations/<int:illustration>/islands", views.IslandsView.as_view()),
    path("illustrations/<int:illustration>/proposals", views.ProposalsView.as_view()),
    path("illustrations/<int:illustration>/difference", views.DifferenceView.as_view()),
    path("illustrations/<int:illustration>/pictures", views.PicturesView.as_view()),
    path("illustrations/<int:illustration>/added", views.AddedView.as_view()),
    path("illustrations/<int:illustration>/remainder", views.RemainderView.as_view()),
    path("illustrations/<int:illustration>/limb", views.LimbView.as_view()),
    path("illustrations/<int:illustration>/order", views.OrderView.as_view()),
    path("illustrations/<int:illustration>/joints", views.JointsView.as_view()),
    path("illustrations/<int:illustration>/joint", views.JointView.as_view()),
    path("illustrations/<int:illustration>/swing", views.SwingView.as_view()),
    path("illustrations/<int:illustration>/completions", views.CompletionsView.as_view()),
    path("illustrations/<int:illustration>/margins", views.MarginsView.as_view()),
    path("illustrations/<int:illustration>/findings", views.FindingsView.as_view()),
    path("illustrations/<int:illustration>/undo", views.UndoView.as_view()),
    path("illustrations/<int:illustration>/revisions/<int:revision>", views.RevisionView.as_view()),
    path("illustrations/<int:illustration>/revisions/<int:revision>/take", views.TakeRevisionView.as_view()),
    path("illustrations/<int:illustration>/go-back", views.GoBackView.as_view()),
    path("illustrations/<int:illustration>/redo", views.RedoView.as_view()),
]
