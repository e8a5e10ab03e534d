"""What every page shows around its sheet."""

from django.http import HttpRequest


def page(request: HttpRequest) -> dict[str, object]:
    """The theme, kept in a cookie so that the first paint has it."""
    theme = request.COOKIES.get("theme")
    return {"theme": theme if theme in ("light", "dark") else ""}
