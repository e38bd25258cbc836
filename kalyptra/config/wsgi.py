"""The web server's way in."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kalyptra.config.settings")
application = get_wsgi_application()
