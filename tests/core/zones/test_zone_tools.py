"""What is done with zones as a whole: renamed, cut, brought to a template, entered into a catalog, estimated, compared,
ordered."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from legatum.core.records.name import Name, canonical_key, is_under, name_text, parse_name
from legatum.core.records.rrset import names_in, rrset
from legatum.core.records.rrtype import DS, NS, SOA, TXT, A
from legatum.core.running.fault import BadInput, GateShut
from legatum.core.zones.catalog import members_of, with_members, without_member
from legatum.core.zones.changing.renaming import renamed
from legatum.core.zones.changing.template import Template, drift, expand, put_right, resolve
from legatum.core.zones.completeness import Degree, estimated_total, sampled
from legatum.core.zones.cutting import child_zone, cut_set, parent_zone, parts_of, taken_back
from legatum.core.zones.difference import DifferenceKind, zone_differences
from legatum.core.zones.masterfile import parse_master
from legatum.core.zones.zone import Zone
from tests.strategies import ORIGIN, zones

OTHER = parse_name("ferrytimes.example.")
HEAD = "$TTL 60\n@ SOA ns1.alder.test. post 1 2 3 4 5\n@ NS ns1.alder.test.\n"


def zone(text: str) -> Zone:
    return parse_master(HEAD + text, ORIGIN)


@given(zones())
@settings(max_examples=60, deadline=None)
def test_a_renamed_zone_comes_back(one: Zone) -> None:
    try:
        there, _ = renamed(one, OTHER)
    except ValueError:
        return  # a name became too long
    assert all(is_under(each.name, OTHER) for each in there)
    held = [name for each in there for rdata in each.rdatas for name in names_in(each.rtype, rdata)]
    assert not any(is_under(name, ORIGIN) for name in held)
    back, _ = renamed(there, ORIGIN)
    if not any(is_under(name, OTHER) for each in one for rdata in each.rdatas for name in names_in(each.rtype, rdata)):
        assert back == one


def test_text_with_the_old_name_is_told() -> None:
    _, left = renamed(zone('a TXT "see kilnandclay.example"\nb TXT "nothing"\n'), OTHER)
    assert [each.name for each in left] == [parse_name("a", OTHER)]


@given(zones(), st.binary(min_size=1, max_size=3))
@settings(max_examples=60, deadline=None)
def test_a_cut_loses_nothing(one: Zone, label: bytes) -> None:
    """Every RRset is in the child or stays in the parent, and the parent hands on what it no longer has."""
    cut = Name(bytes((len(label),)) + label.lower() + ORIGIN)
    servers = (parse_name("ns1.birch.example."),)
    try:
        parts = parts_of(one, cut)
    except BadInput:
        return  # already handed on, here or above
    child = child_zone(parts, Zone(cut, [rrset(cut, SOA, 60, [b"\0\0" + bytes(20)]), rrset(cut, NS, 60, servers)]))
    parent = parent_zone(one, parts, servers, 3600, {})
    for each in one:
        kept = parent.get(each.name, each.rtype) == each
        assert kept != is_under(each.name, cut)
        if is_under(each.name, cut):
            assert child.get(each.name, each.rtype) == each
    assert parent.get(cut, NS) is not None and parent.apex_ns == one.apex_ns
    assert taken_back(parent, child) == one


def test_a_cut_with_servers_below_it_needs_their_addresses() -> None:
    one = zone("app A 198.51.100.1\nns.app A 198.51.100.2\n")
    cut = parse_name("app", ORIGIN)
    inner = parse_name("ns.app", ORIGIN)
    with pytest.raises(BadInput, match="has no address"):
        parent_zone(one, parts_of(one, cut), (inner,), 60, {})
    parent = parent_zone(one, parts_of(one, cut), (inner,), 60, {inner: ((A, b"\xc6\x33\x64\x02"),)})
    assert parent.get(inner, A) is not None and parent.get(cut, A) is None
    for name in (ORIGIN, OTHER):
        with pytest.raises(BadInput):
            parts_of(one, name)
    with pytest.raises(BadInput, match="handed on"):
        parts_of(parent, parse_name("x.app", ORIGIN))


def test_a_part_is_taken_back_with_what_its_servers_have_and_nothing_of_the_cut() -> None:
    one = zone("app NS ns.app\nns.app A 198.51.100.2\nwww A 198.51.100.3\n")
    cut, signed = (
        parse_name("app", ORIGIN),
        "@ DNSKEY 257 3 13 AAAA\n@ RRSIG A 13 3 60 20270101000000 20260101000000 1 app AAAA\n",
    )
    child = parse_master(f"{HEAD}@ A 198.51.100.4\nnew A 198.51.100.5\ndeep NS ns1.birch.example.\n{signed}", cut)
    back = taken_back(one, child)
    texts = {
        f"{name_text(each.name).removesuffix('.' + name_text(ORIGIN))} {each.type_text}"
        for each in back
        if is_under(each.name, cut)
    }
    assert texts == {"app A", "new.app A", "deep.app NS"} and back.get(parse_name("www", ORIGIN), A) is not None
    with pytest.raises(BadInput, match="not handed on"):
        cut_set(back, cut)
    with pytest.raises(GateShut, match="has a DS"):
        taken_back(one.with_rrsets([rrset(cut, DS, 60, [b"\0" * 36])]), child)


def test_templates_inherit_override_and_drop() -> None:
    basic = Template(
        "basic",
        variables={"web": "198.51.100.80"},
        records={("@", "A"): ("{web}",), ("_dmarc", "TXT"): ('"v=DMARC1; p=none"',)},
    )
    shop = Template(
        "shop",
        inherits="basic",
        records={("@", "A"): ("198.51.100.81",), ("s", "A"): ("{s}",)},
        drops=(("_dmarc", "TXT"),),
        ttls={"s": "5m"},
    )
    whole = resolve("shop", {"basic": basic, "shop": shop})
    found = {(each.rrset.name, each.rrset.rtype): each.rrset for each in expand(whole, ORIGIN, {"s": "198.51.100.82"})}
    assert found == {
        (ORIGIN, A): rrset(ORIGIN, A, 3600, [b"\xc6\x33\x64\x51"]),
        (parse_name("s", ORIGIN), A): rrset(parse_name("s", ORIGIN), A, 300, [b"\xc6\x33\x64\x52"]),
    }
    for templates, fault in (
        ({"shop": shop}, "no template 'basic', which shop inherits"),
        ({"shop": Template("shop", inherits="shop")}, "inherits itself"),
        ({"shop": Template("shop", drops=(("x", "A"),))}, "which it does not inherit"),
    ):
        with pytest.raises(BadInput, match=fault):
            resolve("shop", templates)
    for records, values, fault in (
        ({("@", "A"): ("{gone}",)}, {}, "no value for 'gone'"),
        ({("@", "A"): ("x",)}, {}, "is no data of type A"),
        ({("x.other.test.", "A"): ("198.51.100.1",)}, {}, "not a record that a template can give"),
        ({("@", "A"): ("198.51.100.1",)}, {"web": "1"}, "has no variable 'web'"),
    ):
        with pytest.raises(BadInput, match=fault):
            expand(Template("t", records=records), ORIGIN, values)


@given(zones())
@settings(max_examples=40, deadline=None)
def test_what_was_put_right_has_not_drifted(one: Zone) -> None:
    records = {("www", "CNAME"): ("@",), ("@", "TXT+"): ('"v=spf1 -all"',), ("mail", "A"): ("198.51.100.1",)}
    demands = expand(Template("t", records=records), ORIGIN, {})
    there = put_right(one, demands)
    assert drift(there, demands) == () and zone_differences(put_right(there, demands), there) == ()
    texts, before = there.get(ORIGIN, TXT), one.get(ORIGIN, TXT)
    assert texts is not None and {
        r for r in (before.rdatas if before else ()) if not r[1:].startswith(b"v=spf1")
    } <= set(texts.rdatas)
    assert {each.rtype for each in there.at(parse_name("www", ORIGIN))} == {5}


def test_a_catalog_has_each_member_once() -> None:
    catalog = parse_master('$TTL 60\n@ SOA a. b. 1 2 3 4 5\n@ NS invalid.\nversion TXT "2"\n', ORIGIN)
    one, both = with_members(catalog, [OTHER]), with_members(catalog, [OTHER, parse_name("evensong.test.")])
    assert set(members_of(both)) == {OTHER, parse_name("evensong.test.")} and with_members(both, [OTHER]) == both
    group = with_members(both, [OTHER], "x")
    assert group.get(Name(b"\5group" + members_of(both)[OTHER]), TXT) == rrset(
        Name(b"\5group" + members_of(both)[OTHER]), TXT, 0, [b"\1x"]
    )
    assert members_of(group) == members_of(both) and with_members(group, [OTHER]) == group == with_members(
        group, [OTHER], "x"
    )
    assert with_members(group, [OTHER], "y") not in (group, both)
    assert without_member(group, OTHER) == with_members(catalog, [parse_name("evensong.test.")])
    assert without_member(catalog, OTHER) == catalog and len(one) == len(catalog) + 1
    with pytest.raises(BadInput, match="no catalog zone"):
        members_of(catalog.without([(parse_name("version", ORIGIN), TXT)]))


def test_an_estimate_from_two_ways_of_finding() -> None:
    names = [parse_name(f"n{number}", ORIGIN) for number in range(100)]
    assert (
        estimated_total(names[:50], names[25:75]) == 51 * 51 // 26 - 1
    )  # half of either were found by the other: about a hundred
    assert estimated_total(names[:9], names[:9]) == 9  # both found the same: there is nothing else
    told = sampled(names[:50], names[25:75], 300, 2, ("x",))
    assert (told.degree, told.exist, told.known, told.asked, told.unanswered) == (Degree.SAMPLE, 99, 75, 300, 2)
    few = sampled(names[:2], names[:40], 300, 0, ())
    assert few.exist is None and "too few to say" in few.because


@given(zones(), zones())
@settings(max_examples=60, deadline=None)
def test_differences_turn_one_zone_into_the_other(one: Zone, other: Zone) -> None:
    found = zone_differences(one, other)
    changed = one.without((each.name, each.rtype) for each in found if each.kind == DifferenceKind.ONLY_LEFT)
    assert changed.with_rrsets(each.right for each in found if each.right is not None) == other
    keys = [canonical_key(each.name) for each in found]
    assert keys == sorted(keys) and all(
        one.get(each.name, each.rtype) != other.get(each.name, each.rtype) for each in found
    )
