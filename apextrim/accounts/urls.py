from django.contrib.auth.views import LogoutView
from django.urls import path

from . import invitation_views, leaving_views, views

urlpatterns = [
    path("sign-in/", views.SignIn.as_view(), name="sign_in"),
    path("sign-in/demo/", views.enter_demo, name="enter_demo"),
    path("account/", views.account, name="account"),
    path("account/tour/", views.go_on_tour, name="go_on_tour"),
    path("account/units/", views.units, name="units"),
    path("account/end/", views.end_session, name="end_session"),
    path("account/delete/", leaving_views.leave, name="leave"),
    path("account/keep/", leaving_views.stay, name="stay"),
    path("account/invitations/", invitation_views.mine, name="invitations"),
    path("account/invitations/<int:invitation_id>/end/", invitation_views.end, name="end_invitation"),
    path("account/inviters/", invitation_views.choose_inviters, name="choose_inviters"),
    path("join/<str:token>/", invitation_views.join, name="join"),
    path("password/", views.ChangePassword.as_view(), name="change_password"),
    path("health/", views.health, name="health"),
    path("sign-out/", LogoutView.as_view(), name="sign_out"),
]
