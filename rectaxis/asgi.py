"""The application as uvicorn runs it."""

import gc
import os
import warnings
from http.cookies import CookieError, SimpleCookie
from typing import cast

from asgiref.sync import sync_to_async
from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rectaxis.settings.local")
# Static files are small and shipped with the program: that they are read in one go is no news.
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
_application = get_asgi_application()

# After the application has set Django up.
import rectaxis.urls  # noqa: E402, F401 - with all views, before somebody waits for one
from rectaxis.common.bodies import Application, LimitedBodies  # noqa: E402
from rectaxis.people.bodies import most_for  # noqa: E402


async def _most(path: str, cookies: str) -> int:
    try:
        jar = SimpleCookie(cookies)
    except CookieError:
        jar = SimpleCookie()
    return await sync_to_async(most_for, thread_sensitive=False)(
        path, {name: morsel.value for name, morsel in jar.items()}
    )


application = LimitedBodies(cast("Application", _application), _most)

# What is loaded by now stays, so garbage collection leaves it out: a full one took over a tenth of a second, in which nobody is answered.
gc.collect()
gc.freeze()
