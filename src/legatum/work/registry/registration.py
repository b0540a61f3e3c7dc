"""The registrar's side of a domain: what the registry holds beside what is published, the NS set and the locks changed
with proof."""

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from legatum.core.agreement.verdict import names_said
from legatum.core.dnssec.serving import holds
from legatum.core.house.renewal import restoration_report
from legatum.core.moves.kinds.registrar_transfer import UPDATE_LOCK
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import PARENT
from legatum.core.observation.answers import questions_about
from legatum.core.observation.observation import RegistrationView
from legatum.core.observation.slips import slips
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import rrset, targets
from legatum.core.records.rrtype import AAAA, CAA, DS, MX, NS, SOA, TXT, A, type_text
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.core.zones.zone import Zone
from legatum.net.asking.reply import Reply
from legatum.services.registrar import Glue, Registrar, Registration
from legatum.work.effect import carried_out
from legatum.work.look.delegation import look_at_delegation
from legatum.work.look.registration import look_at_rdap
from legatum.work.look.signing import look_at_signing
from legatum.work.memory import note_before, note_handed_out
from legatum.work.run_context import RunContext
from legatum.work.under_way import refuse_under_way

LOCKS = ("clientTransferProhibited", UPDATE_LOCK, "clientDeleteProhibited")
"""The statuses with which a registrar's client locks a domain (RFC 5731 s2.3)."""
_RDAP_EVERY = 60.0  # seconds between looks at registration data
_TYPES = (A, AAAA, MX, TXT, CAA)


@dataclass(frozen=True)
class Sides:
    """``account``: what the registrar's account holds; ``rdap``: what everybody may see, else ``why`` not;
    ``published``: NS sets by address of the parent's servers, None where one does not answer; ``published_ds``:
    likewise; ``transfer``: where the latest stands."""

    domain: Name
    account: Registration | None
    rdap: RegistrationView | None
    why: str
    published: dict[str, tuple[Name, ...] | None]
    published_ds: dict[str, tuple[bytes, ...] | None]
    transfer: str = ""


async def look_at_sides(context: RunContext, domain: Name, registrar: Registrar | None, code: str = "") -> Sides:
    """``code``: to see another registrar's domain by it. Raises :class:`OutsideFault` where the account does not
    tell."""
    account = await registrar.registration(domain, code) if registrar and not registrar.by_hand else None
    with context.collecting() as evidence:
        rdap, why = await look_at_rdap(context, evidence, domain)
    handed_out = await published(context, domain)
    if account is None and rdap is None and not any(handed_out.values()):
        raise OutsideFault(
            f"{name_text(domain)} is not registered, as far as can be seen: nobody hands out name servers for it",
            "is it spelt right?",
        )
    standing = await registrar.transfer_state(domain) if registrar and account and not code else None
    said = f"asked for by {standing.asking} on {standing.asked}: {standing.status}" if standing else ""
    return Sides(domain, account, rdap, why, handed_out, await published_ds(context, domain), said)


async def published(context: RunContext, domain: Name) -> dict[str, tuple[Name, ...] | None]:
    """The NS set that each server of the parent zone hands out."""
    cut, _ = await context.walker().delegation_of(domain)
    replies = await context.asker.ask_all(context.asker.askable(cut.addresses), domain, NS)
    return {reply.server: _handed_out(reply, domain) for reply in replies}


async def published_ds(context: RunContext, domain: Name) -> dict[str, tuple[bytes, ...] | None]:
    """The DS set that each server of the parent zone hands out, and None for one that does not answer."""
    cut, _ = await context.walker().delegation_of(domain)
    replies = await context.asker.ask_all(context.asker.askable(cut.addresses), domain, DS)
    return {reply.server: _ds_of(reply) for reply in replies}


def _ds_of(reply: Reply) -> tuple[bytes, ...] | None:
    found = reply.find(DS)
    return tuple(sorted(found.rdatas)) if found is not None else () if reply.answered else None


def _handed_out(reply: Reply, domain: Name) -> tuple[Name, ...] | None:
    if not reply.answered:
        return None
    found = [each for each in (*reply.authority, *reply.answer) if each.name == domain and each.rtype == NS]
    return targets(found[0]) if found else ()


async def refuse_unready(context: RunContext, domain: Name, present: Sequence[Name], wanted: Sequence[Name]) -> int:
    """Raises :class:`GateShut` unless every new server answers for the zone as the present ones do, and while a move
    leads the domain elsewhere; how many addresses were asked.

    The apex, www and the names that mail goes to are asked for on both sides.
    """
    refuse_under_way(context, domain)
    new = [name for name in wanted if name not in present]
    found = await context.addresses([*present, *new])
    old_addresses = [address for name in present for address in found[name]]
    new_addresses = [address for name in new for address in found[name]]
    good = next(
        (
            each
            for each in await context.asker.ask_all(old_addresses, domain, SOA)
            if each.authoritative and each.find(SOA)
        ),
        None,
    )
    for reply in await context.asker.ask_all(new_addresses, domain, SOA):
        if not reply.authoritative or reply.find(SOA) is None:
            raise GateShut(
                f"{reply.server} does not answer for {name_text(domain)}: {reply.outcome}",
                f"publish the zone there first: `legatum publish {name_text(domain)} --from PLACE --to PROVIDER`",
            )
    if good is not None and new_addresses:
        keys = [key for key in questions_about(Zone(domain, ())) if key[1] != NS] + [
            (domain, rtype) for rtype in _TYPES
        ]
        asked = [(address, *key) for key in keys for address in (good.server, *new_addresses)]
        replies = await asyncio.gather(*(context.asker.ask(*each) for each in asked))
        said = {
            (reply.server, reply.name, reply.rtype): (reply.rcode, tuple(sorted(reply.answer))) for reply in replies
        }
        differ = dict[str, set[str]]()
        for address, name, rtype in asked:
            if said[address, name, rtype] != said[good.server, name, rtype]:
                differ.setdefault(f"{name_text(name)} {type_text(rtype)}", set()).add(address)
        if differ:
            made_up_last = sorted(differ.items(), key=lambda each: (each[0].startswith("nobody"), each[0]))
            where = "; ".join(f"{what} ({', '.join(sorted(some))})" for what, some in made_up_last)
            raise GateShut(
                f"the new servers answer otherwise than {good.server} does now, for {where}",
                "bring both sides to the same contents: `legatum compare PROVIDER PROVIDER --domain "
                f"{name_text(domain)}` shows "
                "what differs",
            )
    await _refuse_bogus(context, domain, new_addresses)
    return len(new_addresses)


async def _refuse_bogus(context: RunContext, domain: Name, addresses: Sequence[str]) -> None:
    """Raises :class:`GateShut` where the parent has a DS for keys that a new server does not sign with."""
    signing = await look_at_signing(context, domain, addresses, ())
    for address, given in signing.old.items():
        if not holds(domain, signing.anchors, given):
            raise GateShut(
                f"{name_text(domain)} is signed ({signing.anchors.brief_text}), and {address} does not prove "
                "that: everybody behind a "
                "validating resolver would get nothing",
                f"lead it there in the safe order: `legatum move draft {name_text(domain)} --to PROVIDER`",
            )


async def other_names(context: RunContext, domain: Name, wanted: Sequence[Name]) -> list[str]:
    """New servers whose zone names other name servers for itself than the registrar is to hand out, in words: resolvers
    that go by the zone's own set come to those."""
    told = []
    for host, addresses in (await context.addresses(wanted)).items():
        for reply in await context.asker.ask_all(context.asker.askable(addresses)[:1], domain, NS):
            own = reply.find(NS) if reply.authoritative else None
            if own is not None and set(targets(own)) != set(wanted):
                told.append(f"the zone at {name_text(host)} names {names_said(targets(own))} itself")
    return told


async def note_ns_before(context: RunContext, domain: Name, wanted: Sequence[Name]) -> None:
    """What the parent's servers hand out until now, and may from now on."""
    given = (await look_at_delegation(context, domain)).given.values()
    ttl = max((each.ttl for each in given if each is not None), default=None)
    if ttl is not None:
        note_handed_out(context, domain, given)
    if ttl is not None and wanted:
        note_before(context, PARENT, domain, [(None, rrset(domain, NS, ttl, wanted))])


async def change_nameservers(
    context: RunContext, registrar: Registrar, domain: Name, wanted: Sequence[Name]
) -> Outcome:
    """The registry's NS set made this one, and read back. Raises :class:`OutsideFault`; the journal has what is known
    then."""
    held = (await registrar.registration(domain)).nameservers
    add, remove = sorted(set(wanted) - set(held)), sorted(set(held) - set(wanted))
    glue = await glue_for(context, registrar, domain, add)
    words = f"NS set at {registrar.name}: {names_said(held)} → {names_said(tuple(sorted(wanted)))}"

    async def change() -> str:
        await note_ns_before(context, domain, wanted)
        said = await registrar.change_nameservers(domain, add, remove, glue)
        now = set((await registrar.registration(domain)).nameservers)
        if now != set(wanted):
            raise OutsideFault(
                f"{registrar.name} said {said}, but holds {names_said(tuple(sorted(now)))}",
                "look at the registrar's own pages",
            )
        return said

    return await carried_out(context, domain, "nameservers", words, change)


async def glue_for(context: RunContext, registrar: Registrar, domain: Name, servers: Sequence[Name]) -> Glue:
    """Addresses of servers below the domain, for registries that take them with the NS set."""
    if not registrar.with_addresses:
        return ()
    return tuple((await context.addresses([name for name in servers if is_under(name, domain)])).items()) + tuple(
        (name, ()) for name in servers if not is_under(name, domain)
    )


async def change_locks(
    context: RunContext, registrar: Registrar, domain: Name, lock: bool
) -> tuple[Outcome, tuple[str, ...]]:
    """Sets or lifts the client's locks; and the statuses afterwards."""
    held = (await registrar.registration(domain)).statuses
    changing = [each for each in LOCKS if (each in held) != lock]
    words = f"statuses at {registrar.name}: {'+' if lock else '-'} {', '.join(changing)}"

    async def change() -> str:
        # With updates prohibited nothing else can be changed: that lock is lifted first, and set last.
        others = [each for each in changing if each != UPDATE_LOCK]
        parts = [[each for each in changing if each == UPDATE_LOCK], others]
        said = ""
        for part in parts if not lock else reversed(parts):
            if part:
                said = await registrar.change_statuses(domain, part if lock else (), () if lock else part)
        return said

    outcome = await carried_out(context, domain, "lock" if lock else "unlock", words, change)
    return outcome, (await registrar.registration(domain)).statuses


async def restore(context: RunContext, registrar: Registrar, domain: Name, reason: str) -> tuple[Outcome, Registration]:
    """Has a deleted domain back within its redemption period, with the report that registries ask for (RFC 3915
    s4.2.5).

    Raises :class:`GateShut` for a domain that is not in that period.
    """
    before = await registrar.registration(domain)
    asked = "pendingRestore" in before.grace
    if "redemptionPeriod" not in before.grace and not asked:
        raise GateShut(
            f"{name_text(domain)} is not in its redemption period",
            f"the registry says: {', '.join((*before.statuses, *before.grace))}",
        )
    words = f"restoration at {registrar.name}: {reason}"

    async def change() -> str:
        said = "" if asked else await registrar.restore(domain)
        now = await registrar.registration(domain)
        if "pendingRestore" in now.grace:
            said = await registrar.restore(
                domain, restoration_report(_said_of(before), _said_of(now), before.updated, reason, context.clock.now())
            )
        return said

    outcome = await carried_out(context, domain, "restore", words, change)
    return outcome, await registrar.registration(domain)


def _said_of(held: Registration) -> str:
    return f"statuses {', '.join(held.statuses)}; name servers {', '.join(map(name_text, held.nameservers))}"


async def wait_until_published(
    context: RunContext,
    domain: Name,
    before: Sequence[Name],
    wanted: Sequence[Name],
    told: Callable[[str], None] | None = None,
) -> float:
    """Until every server of the parent zone hands out the NS set that was meant; the instant.

    ``told`` is told what is different meanwhile: not typed yet, seen in RDAP only, or which slip it was. Raises
    :class:`OutsideFault` with that when the house's patience is over.
    """
    rdap = RdapWatch(context, domain)

    async def missing() -> str:
        for address, seen in (await published(context, domain)).items():
            if seen is None:
                return f"{address} does not answer"
            if wrong := slips(wanted, before, seen, domain):
                return f"{address}: {'; '.join(wrong)}"
            if set(seen) != set(wanted):
                said = rdap.said(
                    await rdap.look(),
                    lambda view: slips(wanted, before, view.nameservers, domain),
                    lambda view: set(view.nameservers) == set(wanted),
                )
                return f"{said}{address} still hands out {names_said(seen)}"
        return ""

    return await context.until_seen(missing, f"the NS set of {name_text(domain)}", told)


class RdapWatch:
    """Registration data, asked for once in a while: they show a change, or a slip, before it is published."""

    def __init__(self, context: RunContext, domain: Name) -> None:
        self._context = context
        self._domain = domain
        self._view: RegistrationView | None = None
        self._at = -_RDAP_EVERY

    async def look(self) -> RegistrationView | None:
        if self._context.clock.now() - self._at >= _RDAP_EVERY:
            self._at = self._context.clock.now()
            with self._context.collecting() as evidence:
                self._view, _ = await look_at_rdap(self._context, evidence, self._domain)
        return self._view

    @staticmethod
    def said(
        view: RegistrationView | None,
        wrong: Callable[[RegistrationView], list[str]],
        right: Callable[[RegistrationView], bool],
    ) -> str:
        """What they say, to stand before what the parent's servers do."""
        if view is None:
            return ""
        if found := wrong(view):
            return f"registration data: {'; '.join(found)}; "
        return "registration data have it, not published yet: " if right(view) else ""
