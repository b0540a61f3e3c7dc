"""Registration data over RDAP (RFC 9082, 9083): where to ask (RFC 9224), and asking."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote

from legatum.core.records.name import Name, labels_of, name_text
from legatum.net.asking.route import Route
from legatum.net.asking.web import WebAnswer, fetch

_MEDIA_TYPE = "application/rdap+json"


@dataclass(frozen=True)
class Bootstrap:
    """Which server knows the registrations under a suffix. ``services``: suffix without dots at the ends → base URL."""

    services: Mapping[str, str]

    def url_for(self, name: Name, kind: str = "domain") -> str | None:
        """Where to ask for a ``domain`` or a ``nameserver``; None where no server is known. The longest suffix counts
        (RFC 9224 s4)."""
        labels = name_text(name).split(".")
        for start in range(1, len(labels_of(name)) + 1):
            base = self.services.get(".".join(labels[start:]))
            if base is not None:
                return f"{base.rstrip('/')}/{kind}/{quote(name_text(name))}"
        return None


def parse_bootstrap(text: str) -> Bootstrap:
    """The registry file of RFC 9224 s3. Only https servers are taken. Raises ``ValueError``."""
    document = json.loads(text)
    if not isinstance(document, dict) or not isinstance(document.get("services"), list):
        raise ValueError("no list of services in it")
    services: dict[str, str] = {}
    for entry in document["services"]:
        if not (isinstance(entry, list) and len(entry) == 2 and all(isinstance(each, list) for each in entry)):
            raise ValueError("a service that is no pair of lists")
        base = next((str(url) for url in entry[1] if str(url).startswith("https://")), None)
        if base is not None:
            services.update((str(suffix).lower().strip("."), base) for suffix in entry[0])
    return Bootstrap(services)


async def ask_rdap(route: Route, url: str, timeout: float, authority: str | None = None) -> WebAnswer:
    """What the server says; nothing is raised."""
    return await fetch(route, url, timeout, headers={"accept": f"{_MEDIA_TYPE}, application/json"}, authority=authority)


def parse_rdap(answer: WebAnswer, kind: str = "domain") -> dict[str, Any]:
    """The object of that class (RFC 9083 s5). Raises ``ValueError`` with the reason where there is none."""
    if answer.trouble is not None:
        raise ValueError(answer.why or str(answer.trouble))
    if answer.status == 404:
        raise ValueError("not registered")
    if answer.status != 200:
        raise ValueError(f"HTTP status {answer.status}")
    try:
        document = json.loads(answer.body)
    except (ValueError, RecursionError):
        raise ValueError("not JSON") from None
    if not isinstance(document, dict) or document.get("objectClassName") != kind:
        raise ValueError(f"no {kind} object")
    return document
