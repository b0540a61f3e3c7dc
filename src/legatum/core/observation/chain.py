"""The chain of trust as a picture shows it: the parent's DS, the keys that the domain's servers publish (RFC 4034, RFC 4035)."""

from legatum.core.dnssec.key import Ds, parse_ds
from legatum.core.dnssec.policy import algorithm, digest_type
from legatum.core.observation.picture import Picture


def ds_of(picture: Picture) -> list[Ds]:
    """The DS records that any parent server hands out."""
    return [parsed for rdata in picture.ds if (parsed := parse_ds(rdata))]


def keys_of(picture: Picture) -> list[bytes]:
    """The data of every key that any server of the domain publishes."""
    return sorted({rdata for view in picture.serving if view.keys for rdata in view.keys.rdatas})


def usable(ds: Ds) -> bool:
    """Validating resolvers everywhere know its algorithm and its digest."""
    return algorithm(ds.algorithm).checked and digest_type(ds.digest_type).checked


def secured(picture: Picture) -> bool:
    """Validating resolvers demand signatures: some DS is of a kind that they know."""
    return any(usable(each) for each in ds_of(picture))
