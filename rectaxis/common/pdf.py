"""Pages as PDF. The renderer may read the shipped fonts and one style sheet, and what it is handed; nothing else."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlsplit

from django.conf import settings

_STATIC = Path(settings.PACKAGE) / "static"


def pdf_bytes(html: str, pictures: Mapping[str, bytes] | None = None) -> bytes:
    """A page as PDF/UA: the same content, the same bytes. ``pictures`` are JPEGs by the address that the page names."""
    from weasyprint import CSS, HTML
    from weasyprint.text.fonts import FontConfiguration

    fonts = FontConfiguration()
    style = CSS(filename=_STATIC / "rectaxis" / "report-print.css", font_config=fonts)
    page = HTML(string=html, base_url=f"{_STATIC.as_uri()}/", url_fetcher=_fetcher(pictures or {}))
    return bytes(page.write_pdf(stylesheets=[style], font_config=fonts, pdf_variant="pdf/ua-1"))


def _is_shipped(url: str) -> bool:
    """Whether an address is that of a file within the static files, by whatever way it is written."""
    parts = urlsplit(url)
    return parts.scheme == "file" and Path(unquote(parts.path)).resolve().is_relative_to(_STATIC.resolve())


def _fetcher(pictures: Mapping[str, bytes]) -> Any:
    """What the renderer may ask for: the pictures it is handed, and what is shipped."""
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class Given(URLFetcher):  # type: ignore[misc] # it ships no types
        def fetch(self, url: str, headers: Any = None) -> Any:
            if url in pictures:
                return URLFetcherResponse(url, pictures[url], {"Content-Type": "image/jpeg"})
            if not _is_shipped(url):
                raise ValueError(f"a page that is printed may not ask for {url}")
            return super().fetch(url, headers)

    return Given()
