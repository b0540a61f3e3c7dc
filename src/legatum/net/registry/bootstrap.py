"""The list of registration data servers (RFC 9224), fetched over HTTPS and kept for a while."""

import hashlib
import json
from contextlib import suppress
from pathlib import Path

from legatum.core.running.fault import Fault
from legatum.net.asking.route import Route
from legatum.net.asking.web import fetch
from legatum.net.file import write_whole
from legatum.net.registry.rdap import Bootstrap, parse_bootstrap

IANA = "https://data.iana.org/rdap/dns.json"
"""The registry of RFC 9224 s3 for domain names."""
_FRESH = 86400
_TIMEOUT = 5.0


async def fetched_bootstrap(route: Route, url: str, cache: Path, now: float, authority: str | None = None) -> Bootstrap:
    """Fetched at most once a day; an older copy is taken where nothing comes. ``cache``: a folder. Raises
    ``ValueError`` with the reason where there is none."""
    file = cache / f"{hashlib.sha256(url.encode()).hexdigest()[:16]}.json"
    kept = _kept(file)
    if kept is not None and 0 <= now - kept[0] < _FRESH:
        return kept[1]
    answer = await fetch(route, url, _TIMEOUT, authority=authority)
    try:
        if answer.trouble is not None or answer.status != 200:
            raise ValueError(answer.why or f"HTTP status {answer.status}")
        text = answer.body.decode("utf-8")
        found = parse_bootstrap(text)
    except ValueError as error:
        if kept is not None:
            return kept[1]
        raise ValueError(f"the list of registration data servers was not to be had: {url}: {error}") from None
    with suppress(OSError, Fault):  # where nothing can be kept it is fetched again
        cache.mkdir(parents=True, exist_ok=True)
        write_whole(file, json.dumps({"fetched": now, "list": text}))
    return found


def _kept(file: Path) -> tuple[float, Bootstrap] | None:
    with suppress(OSError, ValueError, KeyError, TypeError):
        document = json.loads(file.read_text(encoding="utf-8"))
        return float(document["fetched"]), parse_bootstrap(document["list"])
    return None
