"""The site as WSGI."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "apextrim.settings")
application = get_wsgi_application()
