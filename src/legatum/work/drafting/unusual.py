"""What is wished for and may not be meant: told when it is drafted, and no reason to refuse it."""

import re
from collections.abc import Iterator

from legatum.core.calendar.duration import duration_text, parse_duration
from legatum.core.moves.kinds.mail import Mail
from legatum.core.moves.kinds.site import beside
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.wishes import Wishes
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrtype import AAAA, TXT, A, type_text
from legatum.core.timetable.soa import oddities
from legatum.core.zones.changing.publication import somebody_elses
from legatum.core.zones.completeness import Degree
from legatum.work.drafting.addresses import mail_at
from legatum.work.run_context import RunContext

_OF_MAIL = (
    "autoconfig",
    "autodiscover",
    "_autodiscover",
    "_imap",
    "_imaps",
    "_pop3",
    "_pop3s",
    "_submission",
    "_submissions",
    "_mta-sts",
)
_OF_A_SITE = ("HTTPS", "SVCB", "CAA")
_SHORT = 60  # seconds: with less, resolvers ask again for nearly every visitor


def _sender(inputs: PlanInput, name: Name) -> str:
    """The mechanism of the SPF record that means the addresses of ``name`` (RFC 7208 s5.3), empty where none does."""
    here = r"a(?=[\s\"/]|$)|" if name == inputs.domain else ""
    mechanism = re.compile(rf"(?<=\s)\+?(?:{here}a:{re.escape(name_text(name))}(?=[\s\"/]|$))", re.IGNORECASE)
    texts = inputs.contents.get(inputs.domain, TXT)
    said = (rdata_text(TXT, each) for each in (texts.rdatas if texts is not None else ()))
    found = (mechanism.search(text) for text in said if "v=spf1" in text.lower())
    return next((each.group() for each in found if each), "")


def _mail(inputs: PlanInput, mail: Mail) -> Iterator[str]:
    """What of the mail of before the new service's template says nothing of."""
    told = {(each.rrset.name, each.rrset.rtype) for each in mail.demands}
    labels = {name: name[1 : 1 + name[0]].decode("latin-1").lower() for name in inputs.contents.names}
    left = [each for each in inputs.contents if labels[each.name] in _OF_MAIL and (each.name, each.rtype) not in told]
    if behind := [f"{name_text(each.name)} {each.type_text}" for each in left if labels[each.name] != "_mta-sts"]:
        yield (
            f"{', '.join(behind)}: programs are led to the mail of before by it still, as template "
            f"{mail.service} says nothing of it"
        )
    if any(labels[each.name] == "_mta-sts" for each in left):
        yield (
            f"_mta-sts: the policy at https://mta-sts.{name_text(inputs.domain)}/ has to name the new "
            "servers before mail is brought "
            "there, and another id then, or senders refuse them (RFC 8461)"
        )


def _sixes_beside(inputs: PlanInput, wish: Wishes, old: str) -> list[str]:
    """AAAA records at names whose A record has the address, that are not replaced as well."""
    zone, replaced = inputs.contents, {each.old for each in wish.replace}
    names = [each.name for each in zone if each.rtype == A and old in map(address_text, each.rdatas)]
    sets = [found for name in names if (found := zone.get(name, AAAA)) is not None]
    return [
        f"{name_text(each.name)} AAAA {text}"
        for each in sets
        for text in map(address_text, each.rdatas)
        if text not in replaced
    ]


def unusual(context: RunContext, wish: Wishes, inputs: PlanInput) -> Iterator[str]:
    """In words."""
    if wish.to and inputs.place(wish.to).signs and inputs.keys.get((inputs.main, inputs.domain)) is None:
        whole = name_text(wish.domain)
        yield (
            f"{wish.to} signs by itself: {whole} becomes signed there, which counts only once `legatum ds "
            f"submit {whole}` is done"
        )
    if wish.to and (wish.soa is None or wish.soa.mailbox is None):
        kept = somebody_elses(wish.domain, inputs.contents.soa, tuple(inputs.place(wish.to).servers))
        if "mailbox" in kept:
            yield f"the SOA record keeps its mailbox, {name_text(kept['mailbox'])}; another: --soa mailbox=NAME"
    servers = context.provider(inputs.main).servers if inputs.main in context.providers else ()
    asked = context.gathered.get((servers, wish.domain))
    if asked is not None and asked.degree != Degree.COMPLETE:
        whole = name_text(wish.domain)
        yield (
            f"the records of {whole} were gathered by asking ({asked.because}): a name that nobody thought "
            "of is not among them, "
            f"and would be lost. `legatum gather {whole} --names FILE`, with the names of the list in the "
            "account there, makes them "
            "known; then draft again"
        )
    for each in wish.replace:
        if ":" not in each.old and (left := _sixes_beside(inputs, wish, each.old)):
            yield (
                f"{', '.join(left)}: the machine at {each.old} has that address too, and it stays. Does it move along? "
                f"--replace {left[0].split()[-1]}=ADDRESS; if the new one has no IPv6, take the record out"
            )
    for name, target in wish.aliases.items():
        for standing in beside(inputs.contents, name):
            if standing.type_text in _OF_A_SITE:
                yield (
                    f"{name_text(name)} {standing.type_text} stays, from the site of before: is it right at "
                    f"{name_text(target)} too?"
                )
        if sender := _sender(inputs, name):
            yield (
                f"{name_text(inputs.domain)} TXT lets {sender} send mail, which is about to be somebody "
                "else's: does the machine of "
                "before go on sending? Then name its address there first: `legatum amend "
                f"{name_text(inputs.domain)} @ TXT TEXT`"
            )
    if wish.mail:
        yield from _mail(inputs, mail_at(context, wish))
    for (name, rtype), ttl in wish.ttls.items():
        if ttl < _SHORT:
            what = f"{name_text(name)} {type_text(rtype)}"
            yield (
                f"{what} with a TTL of {duration_text(ttl)}: servers are asked for nearly every visitor, and "
                "a failure is felt at once"
            )
    if wish.soa is not None:
        timers = {each: value for each in wish.soa.timers if (value := getattr(wish.soa, each)) is not None}
        fields = inputs.contents.soa._replace(**timers)
        house = {str(timer): parse_duration(text) for timer, text in context.settings.house.soa.items()}
        for odd in oddities(fields, inputs.contents.soa_rrset.ttl, house):
            if odd.timer in timers:
                yield odd.words
