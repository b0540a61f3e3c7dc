"""A service of a name: what visitors ask for."""

from dataclasses import dataclass
from enum import StrEnum

from legatum.core.records.name import Name


class Protocol(StrEnum):
    """What is spoken; each has its port."""

    HTTP = "http"
    HTTPS = "https"
    SMTP = "smtp"
    SUBMISSION = "submission"
    IMAPS = "imaps"


PORTS = {Protocol.HTTP: 80, Protocol.HTTPS: 443, Protocol.SMTP: 25, Protocol.SUBMISSION: 587, Protocol.IMAPS: 993}
WEB = (Protocol.HTTP, Protocol.HTTPS)
MAIL = (Protocol.SMTP, Protocol.SUBMISSION, Protocol.IMAPS)


@dataclass(frozen=True, slots=True)
class Spot:
    """One service of one name: what visitors ask for."""

    protocol: Protocol
    name: Name
