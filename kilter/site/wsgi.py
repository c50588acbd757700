"""The WSGI entry."""

import os

from django.core.wsgi import get_wsgi_application

from kilter.site.upkeep import require_secret

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kilter.site.settings")
require_secret()
application = get_wsgi_application()
