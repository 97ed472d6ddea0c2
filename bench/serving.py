"""The application with its scripts and styles, as a web server in front of an installation would add them."""

from django.contrib.staticfiles.handlers import ASGIStaticFilesHandler
from django.core.asgi import get_asgi_application

application = ASGIStaticFilesHandler(get_asgi_application())
