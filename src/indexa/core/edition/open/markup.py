"""What search engines and crawlers read of an edition's first page: schema.org Dataset as JSON-LD."""

from __future__ import annotations

from typing import Any

import msgspec

from indexa.core.edition.book import Book

_MOST_NAMES = 200
"""Tables that are named in the markup; crawlers cut longer ones off."""


def dataset(book: Book) -> bytes:
    """Return an edition as a Dataset in JSON-LD, in which no sign is read as markup of HTML."""
    imprint = book.imprint
    day = max((one.at for one in imprint.signatures), default=imprint.made_at)
    found: dict[str, Any] = {
        "@context": "https://schema.org",
        "@type": "Dataset",
        "name": imprint.title,
        "description": imprint.note or f"{imprint.title} of {imprint.area}.",
        "version": imprint.edition,
        "dateModified": day.date().isoformat(),
        "creator": {"@type": "Person", "name": imprint.made_by},
        "publisher": {"@type": "Organization", "name": imprint.area},
        "variableMeasured": [
            {
                "@type": "PropertyValue",
                "name": page.table.full_name,
                "description": page.table.definition or page.table.comment or page.table.business_name,
            }
            for page in book.pages[:_MOST_NAMES]
        ],
        "keywords": [term.name for term in book.terms[:_MOST_NAMES]],
    }
    if imprint.signatures:
        found["editor"] = [{"@type": "Person", "name": one.person} for one in imprint.signatures]
    if book.audience:
        found["audience"] = {"@type": "Audience", "audienceType": book.audience}
    encoded = msgspec.json.encode({name: value for name, value in found.items() if value})
    return encoded.replace(b"<", b"\\u003c").replace(b"&", b"\\u0026")
