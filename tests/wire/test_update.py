"""Dynamic updates: what is sent makes the zone what it should be, also on servers with their silent exceptions."""

from hypothesis import given, settings
from hypothesis import strategies as st

from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import CNAME, NS, SOA, A
from legatum.core.records.soa import next_serial
from legatum.core.zones.zone import Zone
from legatum.wire.message import ANY_CLASS, IN, NONE, decode, encode
from legatum.wire.update import apply_update, on_sets, on_soa, unmet, update_parts, update_records
from tests.strategies import ORIGIN, zones


@given(zones(), zones())
@settings(max_examples=100, deadline=None)
def test_an_update_makes_any_zone_any_other(zone: Zone, other: Zone) -> None:
    wanted = other.with_serial(next_serial(zone.soa.serial))
    (part,) = update_parts(zone, wanted)
    sent = decode(encode(on_soa(zone, part, 9)))
    assert apply_update(zone, sent.authority) == wanted
    # The condition under which it may be carried out: the SOA is still the one that was read.
    assert [record.rdata for record in sent.answer] == [zone.soa_rrset.rdatas[0]] and not unmet(zone, sent.answer)


@given(zones(), zones(), zones())
@settings(max_examples=100, deadline=None)
def test_on_condition_of_the_sets_nothing_of_somebody_elses_is_overwritten(
    zone: Zone, other: Zone, meanwhile: Zone
) -> None:
    """Met by the zone that was read, and by no zone in which any set that changes is another."""
    (part,) = update_parts(zone, other.with_serial(next_serial(zone.soa.serial)))
    sent = decode(encode(on_sets(zone, part, 9)))
    assert not unmet(zone, sent.answer) and not any(record.rtype == SOA for record in sent.answer)
    touched = any(
        (one.rdatas if one else None) != (two.rdatas if two else None)
        for key in part.keys or ((ORIGIN, NS),)
        for one, two in [(zone.get(*key), meanwhile.get(*key))]
    )
    assert bool(unmet(meanwhile, sent.answer)) == touched


@given(zones(), zones(), st.data())
@settings(max_examples=60, deadline=None)
def test_at_no_moment_is_the_apex_without_a_name_server(zone: Zone, other: Zone, data: st.DataObject) -> None:
    changes = update_records(zone, other.with_serial(next_serial(zone.soa.serial)))
    partly = apply_update(zone, changes[: data.draw(st.integers(0, len(changes)))])
    assert partly.apex_ns is not None and partly.get(ORIGIN, SOA) is not None


def test_the_order_is_the_one_that_all_servers_carry_out() -> None:
    old = rrset(ORIGIN, NS, 86400, [b"\3ns1\5alder\4test\0", b"\3ns2\5alder\4test\0"])
    new = rrset(ORIGIN, NS, 300, [b"\3ns1\5birch\4test\0", b"\3ns2\5alder\4test\0"])
    base = Zone(ORIGIN, [rrset(ORIGIN, SOA, 60, [b"\0\0" + bytes(20)]), old])
    wanted = base.with_rrsets([new]).with_serial(1)
    classes = [(record.rtype, record.rclass, record.rdata[:5]) for record in update_records(base, wanted)]
    assert classes[0] == (NS, IN, b"\3ns1\5")  # the new name before anything goes
    assert (NS, ANY_CLASS, b"") not in classes  # never the whole set
    assert (NS, NONE, b"\3ns1\5") in classes and classes[-1][0] == SOA


def test_servers_silently_keep_what_must_not_go() -> None:
    """The stand-in's half of the rules: an alias beside other data, the last NS, a serial that does not rise."""
    ns = rrset(ORIGIN, NS, 60, [b"\3ns1\0"])
    zone = Zone(
        ORIGIN,
        [rrset(ORIGIN, SOA, 60, [b"\0\0" + (5).to_bytes(4) + bytes(16)]), ns, rrset(ORIGIN, A, 60, [b"\1\2\3\4"])],
    )
    alias = rrset(ORIGIN, CNAME, 60, [b"\1x\0"])
    kept = update_records(zone, zone.with_rrsets([alias]))
    assert apply_update(zone, kept) == zone
    lower = update_records(zone, zone.with_serial(4))
    assert apply_update(zone, lower) == zone


@given(zones(), zones(), st.integers(20, 400))
@settings(max_examples=60, deadline=None)
def test_a_change_in_parts_is_the_same_change(zone: Zone, other: Zone, largest: int) -> None:
    """Each message is on condition of the SOA that the one before it left, and no name is changed in two of them."""
    wanted = other.with_serial(next_serial(zone.soa.serial))
    messages = [decode(encode(on_soa(zone, each, 7))) for each in update_parts(zone, wanted, largest)]
    present, changed = zone, set[bytes]()
    for message in messages:
        assert [record.rdata for record in message.answer] == [present.soa_rrset.rdatas[0]]
        names = {record.name for record in message.authority if record.rtype != SOA}
        assert not names & changed
        changed |= names
        present = apply_update(present, message.authority)
        assert present.apex_ns is not None
    assert present.with_serial(1) == wanted.with_serial(1)
    assert len(messages) == 1 or (present.soa.serial - zone.soa.serial) % 2**32 >= len(messages)
