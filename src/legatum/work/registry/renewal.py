"""Renewals: each aims at a date, which stands in the journal, so that what is asked for twice is done once."""

import re

from legatum.core.calendar.instant import instant_text
from legatum.core.house.renewal import Renewal, expiry_after, years_between
from legatum.core.memory.history import INTENT, OUTCOME
from legatum.core.moves.outcome import Outcome
from legatum.core.records.name import Name
from legatum.core.running.fault import OutsideFault
from legatum.services.registrar import Registrar
from legatum.work.effect import carried_out
from legatum.work.registry.held import look_at_held
from legatum.work.run_context import RunContext

_TERM = re.compile(r"from (\S+), until (\S+)$")
_LATELY = 30 * 86400.0  # seconds within which the same command means the same renewal


async def plan_renewal(context: RunContext, registrar: Registrar, domain: Name, years: int, until: str) -> Renewal:
    """``until``: the date that is to be reached at least, ``YYYY-MM-DD``, instead of ``years`` from the present one.

    A renewal of which the answer was lost is settled here. Raises :class:`OutsideFault` where the present date is not
    known.
    """
    expires = (await look_at_held(context, domain, registrar))[0].expires
    if not expires:
        raise OutsideFault(
            f"{registrar.name} does not tell when the registration expires", "look at the registrar's own pages"
        )
    begun, over = _earlier(context, domain, expires)
    if begun and expires > begun[0]:
        now = context.clock.now()
        summary = f"an earlier renewal had taken effect, though its answer was lost: from {begun[0]}, until {expires}"
        context.journal.settle("", domain, Outcome("renew", now, now, summary), now, ())
        over = summary
    if until:
        years = years_between(expires, until)
        over = "" if years else f"it expires on {expires}, not before {until}"
    elif over:
        return Renewal(domain, expires, expires, 0, over)
    return Renewal(domain, expires, expiry_after(expires, years), years, over)


async def renew(context: RunContext, registrar: Registrar, renewal: Renewal) -> tuple[Outcome, str]:
    """And the date on which it expires then. The present date goes with it, so that no registry renews it twice (RFC
    5731 s3.2.3)."""
    before = renewal.expires

    async def change() -> str:
        said = await registrar.renew(renewal.domain, before, renewal.years)
        now = (await registrar.registration(renewal.domain)).expires
        if now <= before:
            raise OutsideFault(
                f"{registrar.name} said {said}, but the registration still expires on {before}",
                "look at the registrar's own pages",
            )
        return f"{said}; from {before}, until {now}"

    outcome = await carried_out(
        context, renewal.domain, "renew", f"renewal at {registrar.name}: {renewal.words}", change
    )
    return outcome, outcome.summary.rpartition(" until ")[2]


def note_worksheet(context: RunContext, registrar: Registrar, renewal: Renewal) -> None:
    """A person has been asked for it: when it is seen, that is its end."""
    now = context.clock.now()
    context.journal.intend("", renewal.domain, "renew", now, f"renewal by hand at {registrar.name}: {renewal.words}")


def _earlier(context: RunContext, domain: Name, expires: str) -> tuple[tuple[str, str] | None, str]:
    """The dates of a renewal whose end is not known; and, where one that led to the present date was done lately, that
    it was."""
    begun, over = None, ""
    for entry in context.journal.entries(domain):
        term = _TERM.search(entry.text)
        if entry.step != "renew" or entry.kind not in (INTENT, OUTCOME):
            continue
        begun = (term[1], term[2]) if term and entry.kind == INTENT else None
        if entry.kind == OUTCOME and term and term[2] == expires and context.clock.now() - entry.at < _LATELY:
            over = (
                f"renewed at {instant_text(entry.at)} already, from {term[1]}, until {term[2]}; for longer "
                "say --until DATE"
            )
    return begun, over
