"""The DS set at the registrar: changed once every server proves it, watched until the parent's servers hand it out."""

from collections.abc import Callable, Sequence

from legatum.core.dnssec.key import fits, parse_ds
from legatum.core.dnssec.signature import Validity, best_validity, signatures_over
from legatum.core.fault import GateShut, OutsideFault
from legatum.core.moves.runbook import Outcome
from legatum.core.observation.slips import ds_slips
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import DNSKEY, DS, NS
from legatum.net.reply import Reply
from legatum.services.registrar import Registrar
from legatum.work.effect import carried_out
from legatum.work.outside import Outside
from legatum.work.registry.registration import RdapWatch, published_ds


async def held_ds(outside: Outside, registrar: Registrar, domain: Name) -> tuple[bytes, ...]:
    """What the account holds; for a form, what the parent's servers hand out."""
    if not registrar.by_hand:
        return (await registrar.registration(domain)).ds or ()
    return next(iter((await published_ds(outside, domain)).values()), None) or ()


async def ds_ttl(outside: Outside, domain: Name) -> int:
    """The largest TTL with which the parent's servers hand the DS set out, 0 without one."""
    cut, _ = await outside.walker().delegation_of(domain)
    replies = await outside.asker.ask_all(outside.asker.askable(cut.addresses), domain, DS)
    return max((found.ttl for reply in replies if (found := reply.find(DS)) is not None), default=0)


async def refuse_unproven(outside: Outside, domain: Name, wanted: Sequence[bytes]) -> int:
    """Raises :class:`GateShut` unless each of the DS names a key that every server serves and that signs its key set; how many addresses
    were asked. Nothing to prove where none is wanted."""
    if not wanted:
        return 0
    own = await outside.walker().lookup(domain, NS)
    addresses = [address for each in (await outside.addresses(targets(own.rrset))).values() for address in each]
    for address in outside.asker.askable(addresses):
        reply = await outside.asker.ask(address, domain, DNSKEY, dnssec=True)
        keys = reply.find(DNSKEY)
        if keys is None:
            raise GateShut(f"{address} serves no DNSKEY for {name_text(domain)}: {reply.outcome}", "sign the zone on every server first")
        for rdata in wanted:
            _refuse_unsigned(domain, address, rdata, keys, reply, outside.clock.now())
    return len(addresses)


def _refuse_unsigned(domain: Name, address: str, rdata: bytes, keys: RRset, reply: Reply, now: float) -> None:
    ds = parse_ds(rdata)
    named = [key for key in keys.rdatas if ds is not None and fits(domain, ds, key)]
    if not named:
        tags = f"DS {rdata_text(DS, rdata).split()[0]}"
        raise GateShut(f"{tags} fits no key that {address} serves", "is a digit missing? copy the DS from the provider again")
    signatures = signatures_over(DNSKEY, reply.answer, domain)
    standing, _ = best_validity(keys, signatures, keys._replace(rdatas=tuple(named)), now)
    if standing != Validity.GOOD:
        raise GateShut(
            f"the key set that {address} serves is not signed by the key of DS {int.from_bytes(rdata[:2])}: {standing or 'no signature'}",
            "let the provider sign with that key first",
        )


async def keys_of(outside: Outside, domain: Name, wanted: Sequence[bytes]) -> dict[bytes, bytes]:
    """DS → the key that it names, as far as the zone serves it."""
    found = (await outside.walker().lookup(domain, DNSKEY)).rrset
    keys = found.rdatas if found is not None else ()
    return {rdata: key for rdata in wanted for key in keys if (ds := parse_ds(rdata)) is not None and fits(domain, ds, key)}


async def change_ds(outside: Outside, registrar: Registrar, domain: Name, wanted: Sequence[bytes]) -> Outcome:
    """The registry's DS set made this one, and read back. Raises :class:`OutsideFault`."""
    held = set((await registrar.registration(domain)).ds or ())
    add, remove = sorted(set(wanted) - held), sorted(held - set(wanted))
    words = f"DS at {registrar.name}: {len(held)} → {len(set(wanted))} records"

    async def change() -> str:
        said = await registrar.change_ds(domain, add, remove)
        if set((await registrar.registration(domain)).ds or ()) != set(wanted):
            raise OutsideFault(f"{registrar.name} said {said}, but holds another DS set", "look at the registrar's own pages")
        return said

    return await carried_out(outside, domain, "ds", words, change)


async def wait_until_ds(
    outside: Outside, domain: Name, before: Sequence[bytes], wanted: Sequence[bytes], told: Callable[[str], None] | None = None
) -> float:
    """Until every server of the parent zone hands out the DS set that was meant; the instant. As with name servers, ``told`` and
    :class:`OutsideFault` say what is different: not typed yet, or which slip it was."""
    rdap = RdapWatch(outside, domain)

    async def missing() -> str:
        for address, seen in (await published_ds(outside, domain)).items():
            if seen is None:
                return f"{address} does not answer"
            if wrong := ds_slips(wanted, before, seen):
                return f"{address}: {'; '.join(wrong)}"
            if set(seen) != set(wanted):
                view = await rdap.look()
                said = rdap.said(view, lambda view: ds_slips(wanted, before, view.ds or ()), lambda view: set(view.ds or ()) == set(wanted))
                return f"{said}{address} still hands out {len(seen)} DS records as before"
        return ""

    return await outside.until_seen(missing, f"the DS set of {name_text(domain)}", told)
