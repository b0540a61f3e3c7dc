"""The gate of every step that has mail brought to other servers: these must take it."""

from collections.abc import Iterable
from functools import partial

from legatum.core.calendar.duration import parse_duration
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import Records
from legatum.core.records.name import ROOT, Name, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import MX
from legatum.core.service.seen import MailSeen
from legatum.core.service.spot import Protocol
from legatum.net.side_by_side import side_by_side
from legatum.net.visiting.mail import visit_mail
from legatum.work.moves.step_context import StepContext
from legatum.work.services.visit import addresses_of, trusted_file

_MOST_HOSTS, _AT_ONCE = 8, 8
_Heard = tuple[Name, str, MailSeen]


async def mail_not_taken(job: StepContext) -> list[Refusal]:
    """What senders would suffer at mail servers that the step newly names: none of a server's addresses greets, or it
    does not take mail for the domain. Where those of now do not answer from here either, that they are silent says
    nothing."""
    if job.runbook.retreating:
        return []
    found = list[Refusal]()
    changes = [
        each
        for effect in job.step.effects
        if isinstance(effect, Records)
        for each in effect.changed
        if each.key[1] == MX
    ]
    for change in changes:
        now = set(targets(change.before))
        new = [host for host in targets(change.after) if host not in now and host != ROOT]
        heard = await _heard(job, change.key[0], new)
        troubled = {host: _trouble([each for each in heard if each[0] == host]) for host in new}
        silent = [host for host in new if troubled[host] and not _refuses(heard, host)]
        if silent and not any(
            not seen.trouble for _, _, seen in await _heard(job, change.key[0], sorted(now - {ROOT}))
        ):
            troubled = {host: said for host, said in troubled.items() if host not in silent}
            if job.context.told is not None:
                unseen = ", ".join(map(name_text, silent))
                job.context.told(
                    f"    not known from here: whether {unseen} takes mail; the mail servers of now do not "
                    "answer either"
                )
        remedy = "have the new service set up for the domain first; or go on all the same: --anyway"
        found += [
            Refusal(f"{name_text(host)} would not take mail for {name_text(change.key[0])}: {said}", remedy)
            for host, said in troubled.items()
            if said
        ]
    return found


async def _heard(job: StepContext, domain: Name, hosts: Iterable[Name]) -> list[_Heard]:
    walker, context = job.context.walker(), job.context
    patience, trusted = float(parse_duration(context.settings.visit.timeout)), trusted_file(context, None)
    named = list(hosts)[:_MOST_HOSTS]
    known = dict(zip(named, await side_by_side(partial(addresses_of, walker), named, _AT_ONCE), strict=True))
    spots = [
        (host, address) for host, each in known.items() for address in each if context.asker.patience.reach.has(address)
    ]
    unknown = [(host, "its address", MailSeen(trouble="not known")) for host, each in known.items() if not each]

    async def greeted(spot: tuple[Name, str]) -> _Heard:
        host, address = spot
        return (
            host,
            address,
            await visit_mail(context.asker.route, address, Protocol.SMTP, host, domain, patience, trusted),
        )

    return [*await side_by_side(greeted, spots, _AT_ONCE), *unknown]


def _refuses(heard: Iterable[_Heard], host: Name) -> bool:
    return any(seen.takes is False for each, _, seen in heard if each == host)


def _trouble(heard: list[_Heard]) -> str:
    """Why no address of a server takes mail; empty where one does, or might."""
    if any(not seen.trouble and seen.takes is not False for _, _, seen in heard):
        return ""
    return "; ".join(dict.fromkeys(f"{address}: {seen.trouble or seen.said}" for _, address, seen in heard))
