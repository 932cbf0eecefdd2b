"""Finding the pages of the program by its links."""

from __future__ import annotations

import re
from html import unescape

# Addresses within the program that are no pages: files, pictures, data.
FILE = re.compile(r"\.(pdf|csv|json|ics|eml|svg|jpg)$|/(pdf|slip)$|/(case|data)\.json")
LINK = re.compile(r'<a\s[^>]*?href="(/[^"]*)"')


def kind_of(path: str) -> str:
    """Which page an address is, whatever job, record or route it is of."""
    path = re.sub(r"\?.*", "", path)
    path = re.sub(r"/\d+/", "/n/", path)
    return re.sub(r"/(choose|checks|quotes|papers|routines|models)/[^/]+/", r"/\1/x/", path)


def links_in(html: str) -> list[str]:
    """Addresses within the program that a page leads to, files left out."""
    return [
        href.split("#")[0]
        for href in (unescape(found) for found in LINK.findall(html))
        if not FILE.search(re.sub(r"\?.*", "", href)) and "station=" not in href
    ]
