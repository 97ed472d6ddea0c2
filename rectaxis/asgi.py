"""The application as uvicorn runs it."""

import os
import warnings

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rectaxis.settings.local")
# Static files are small and shipped with the program: that they are read in one go is no news.
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
application = get_asgi_application()
