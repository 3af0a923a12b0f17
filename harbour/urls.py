"""Addresses of the register: pages for people, the open interface, the trouble switch."""

from django.urls import path, re_path

from harbour.register import pages, trouble
from harbour.register.odata.views import serve

urlpatterns = [
    path("", pages.home),
    path("trouble", trouble.switch),
    path("behaviour", trouble.behaving),
    re_path(r"^(?P<name>live|practice)/odata/(?P<path>.*)$", serve),
    path("<str:name>/", pages.types),
    path("<str:name>/<str:entity_set>/", pages.records),
    path("<str:name>/<str:entity_set>/<str:key>/", pages.record),
]
