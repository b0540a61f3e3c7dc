"""The chain of trust as an observation shows it: the parent's DS, the keys that the domain's servers publish (RFC 4034,
RFC 4035)."""

from legatum.core.dnssec.chain import Link, Served
from legatum.core.dnssec.key import Ds, parse_ds
from legatum.core.dnssec.policy import algorithm, digest_type
from legatum.core.dnssec.serving import anchors_of, server_keys
from legatum.core.observation.observation import Observation
from legatum.core.records.rrtype import CDNSKEY, CDS, DNSKEY


def ds_of(observation: Observation) -> list[Ds]:
    """The DS records that any parent server hands out."""
    return [parsed for rdata in observation.ds if (parsed := parse_ds(rdata))]


def keys_of(observation: Observation) -> list[bytes]:
    """The data of every key that any server of the domain publishes."""
    return sorted({rdata for view in observation.serving if view.keys for rdata in view.keys.rdatas})


def own_link(observation: Observation) -> Link:
    """The domain's own link, as each server showed it; what is above is not in the observation."""
    ds = {
        view.address: anchors_of(view.ds.rdatas if view.ds else (), view.ds.ttl if view.ds else 0)
        if view.answered
        else None
        for view in observation.parents
    }
    served = []
    for view in observation.servers:
        asking = [rtype for rtype, each in ((CDS, view.cds), (CDNSKEY, view.cdnskey)) if each is not None]
        given = server_keys(observation.domain, view.keys, view.soa, view.signatures.values(), asking, observation.at)
        served.append(
            Served(
                view.server, view.address, given, not view.silent and view.keys_asked and DNSKEY not in view.unanswered
            )
        )
    return Link(observation.domain, observation.parent_zone, ds, served)


def usable(ds: Ds) -> bool:
    """Validating resolvers everywhere know its algorithm and its digest."""
    return algorithm(ds.algorithm).checked and digest_type(ds.digest_type).checked


def secured(observation: Observation) -> bool:
    """Validating resolvers demand signatures: some DS is of a kind that they know."""
    return any(usable(each) for each in ds_of(observation))
