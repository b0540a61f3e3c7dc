"""Made-up DNS data for property tests."""

from hypothesis import strategies as st

from legatum.core.records.name import Name, from_labels
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AAAA, CNAME, MX, NS, SRV, TXT, A
from legatum.core.records.soa import SoaFields
from legatum.core.zones.zone import Zone

labels = st.binary(min_size=1, max_size=12).map(bytes.lower)
plain_labels = st.text("abcdefghijklmnopqrstuvwxyz0123456789-_", min_size=1, max_size=10).map(str.encode)
names = st.lists(labels, max_size=6).map(from_labels)
ORIGIN = Name(b"\x0bkilnandclay\x07example\x00")


def _below(parts: list[bytes]) -> Name:
    return Name(from_labels(parts)[:-1] + ORIGIN)


owners = st.lists(plain_labels, max_size=3).map(_below)
ttls = st.integers(0, 2**31 - 1)
_ipv4, _ipv6 = st.binary(min_size=4, max_size=4), st.binary(min_size=16, max_size=16)
_texts = st.lists(st.binary(max_size=255).map(lambda raw: bytes((len(raw),)) + raw), min_size=1, max_size=3).map(
    b"".join
)
_numbers = st.integers(0, 65535).map(lambda number: number.to_bytes(2))

rdatas = {
    A: _ipv4,
    AAAA: _ipv6,
    NS: names,
    MX: st.builds(lambda preference, host: preference + host, _numbers, names),
    TXT: _texts,
    SRV: st.builds(lambda numbers, host: b"".join(numbers) + host, st.tuples(_numbers, _numbers, _numbers), names),
    731: st.binary(max_size=40),
}
soas = st.builds(SoaFields, names, names, *[st.integers(0, 2**32 - 1)] * 5)


@st.composite
def rrsets(draw: st.DrawFn, owner: st.SearchStrategy[Name] = names) -> RRset:
    rtype = draw(st.sampled_from(sorted(rdatas)))
    return rrset(draw(owner), rtype, draw(ttls), draw(st.lists(rdatas[rtype], min_size=1, max_size=4)))


@st.composite
def zones(draw: st.DrawFn) -> Zone:
    """Zones that a server takes: SOA and NS at the apex, no alias beside other data."""
    soa = draw(soas)._replace(serial=draw(st.integers(1, 2**31)))
    ns = rrset(ORIGIN, NS, draw(ttls), draw(st.lists(names, min_size=1, max_size=3)))
    found = [RRset(ORIGIN, 6, draw(ttls), (soa.rdata(),))]
    found += [each for each in draw(st.lists(rrsets(owners), max_size=8)) if (each.name, each.rtype) != (ORIGIN, NS)]
    aliases = draw(st.lists(st.tuples(owners, names), max_size=3))
    taken = {each.name for each in found} | {ORIGIN}
    found += [rrset(owner, CNAME, 300, [target]) for owner, target in aliases if owner not in taken]
    return Zone(ORIGIN, [*found, ns])
