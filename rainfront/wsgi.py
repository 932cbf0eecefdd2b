"""WSGI entry point (production settings unless the environment says otherwise)."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rainfront.settings.production")
application = get_wsgi_application()

from rainfront.web.ready import get_ready  # noqa: E402  (the settings say where it is kept)

get_ready()
