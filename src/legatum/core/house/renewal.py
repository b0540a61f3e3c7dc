"""How long a registration is renewed for: whole years, each ending on the day on which it ends now (RFC 5731 s3.2.3);
and what is reported of one that was deleted and is had back."""

import re
from dataclasses import dataclass

from legatum.core.calendar.instant import instant_text
from legatum.core.records.name import Name
from legatum.core.running.fault import BadInput

MOST_YEARS = 10


@dataclass(frozen=True)
class Renewal:
    """Dates in RFC 3339. ``years``: 0 where nothing is to be done; ``over``: why not."""

    domain: Name
    expires: str
    until: str
    years: int
    over: str = ""

    @property
    def words(self) -> str:
        return f"{self.years} year{'' if self.years == 1 else 's'}, from {self.expires}, until {self.until}"


def expiry_after(expires: str, years: int) -> str:
    """The same day, that many years later; the 28th for a 29th of February that is none."""
    year, rest = int(expires[:4]) + years, expires[4:]
    leap = year % 4 == 0 and (year % 100 != 0 or year % 400 == 0)
    return f"{year:04}{rest.replace('-02-29', '-02-28', 1) if not leap else rest}"


def years_between(expires: str, until: str) -> int:
    if not re.fullmatch(r"\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])", until):
        raise BadInput(f"--until {until}: no date", "write YYYY-MM-DD")
    years = next((each for each in range(MOST_YEARS + 1) if expiry_after(expires, each)[:10] >= until), None)
    if years is None:
        raise BadInput(
            f"--until {until}: more than {MOST_YEARS} years after {expires}",
            "a registration is renewed for 1 to 10 years",
        )
    return years


def restoration_report(before: str, now: str, deleted: str, reason: str, at: float) -> list[tuple[str, str]]:
    """The elements that a registry wants of a restored domain, in their order. The two statements are those that RFC
    3915 s4.2.5 has registrars make. ``before``, ``now``: what is registered, in words; ``deleted``: when that was,
    empty for not known."""
    return [
        ("preData", before),
        ("postData", now),
        ("delTime", deleted or instant_text(at)),
        ("resTime", instant_text(at)),
        ("resReason", reason),
        (
            "statement",
            "This registrar has not restored the domain in order to assume the rights to use or sell it for "
            "itself or a third party.",
        ),
        ("statement", "The information in this report is true to the best of this registrar's knowledge."),
    ]
