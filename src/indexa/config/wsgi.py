"""The WSGI application that gunicorn serves."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "indexa.config.settings.base")
application = get_wsgi_application()
