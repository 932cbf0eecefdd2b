"""Error pages that say what happened and where to go on."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.template.loader import render_to_string


def page(request: HttpRequest, status: int, title: str, text: str) -> HttpResponse:
    """Render one error page; a plain one where the request was refused before anybody looked who asks."""
    if not hasattr(request, "user"):
        return HttpResponse(render_to_string("web/plain.html", {"title": title, "text": text}), status=status)
    return render(request, "web/error.html", {"title": title, "text": text}, status=status)


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """400."""
    return page(request, 400, "That request could not be read", "Nothing was stored. Go back and send it again.")


def forbidden(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """403, with who may do it where that is known."""
    text = str(exception or "") or "You are signed in, but this is not yours to change."
    return page(request, 403, "Not allowed", text)


def stale(request: HttpRequest, reason: str = "") -> HttpResponse:
    """403 for a form whose once-only token is not this person's: the page was open since before they signed in."""
    text = (
        "This page was opened before you signed in, or in another place. Nothing was stored. "
        "Go back, load the page again, and send it once more."
    )
    return page(request, 403, "The page is too old", text)


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """404."""
    return page(request, 404, "There is nothing here", "The job may have another number. Look for it in the list.")


def server_error(request: HttpRequest) -> HttpResponse:
    """500: no context processors, they may be what failed."""
    text = (
        "What you had stored before is safe. What you sent last may have been stored before this page broke: look at "
        "the job's log before you send it again."
    )
    page = {"title": "Something broke on our side", "text": text}
    return HttpResponse(render_to_string("web/plain.html", page), status=500)
