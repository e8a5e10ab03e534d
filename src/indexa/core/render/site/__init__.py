"""An edition's web pages: plain files that any web server serves and that open from disk as well."""

from indexa.core.render.site.build import build_site

__all__ = ["build_site"]
