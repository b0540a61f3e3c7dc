"""What a difference between two sides means for visitors: only what they would suffer stands in a move's way."""

import pytest

from legatum.core.observation.answers import Form, Heard, OfZone, Said, answer_differences, questions_about
from legatum.core.records.name import Name, below, parse_name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import CNAME, DNSKEY, NS, RRSIG, SOA, A
from legatum.core.zones.difference import Difference, ForVisitors
from legatum.core.zones.masterfile import parse_master
from tests.strategies import ORIGIN

ZONE = parse_master(
    "$TTL 60\n@ SOA a. b. 1 2 3 4 5\n@ NS ns1.alder.test.\n@ A 192.0.2.1\nwww CNAME @\n*.sites A 192.0.2.2\n"
    "app NS ns1.rowan.test.\n"
    "@ DNSKEY 257 3 13 aaaa\n",
    ORIGIN,
)
WWW, SITES, APP = (below(label, ORIGIN) for label in ("www", "sites", "app"))
ROWAN = parse_name("ns1.rowan.test.")


def address(last: int, ttl: int = 60, name: Name = ORIGIN) -> RRset:
    return rrset(name, A, ttl, [bytes((192, 0, 2, last))])


def answer(*sets: RRset) -> Said:
    return Said(Form.ANSWER, "answer", sets)


ALIAS = rrset(WWW, CNAME, 60, [ORIGIN])
NO_DATA, NO_NAME = Said(Form.NO_DATA, "no data"), Said(Form.NO_NAME, "no such name")
FAILS, SILENT = Said(Form.ERROR, "server failure"), Said(Form.SILENT, "no answer in time")
SECOND_HAND = Said(Form.UNAUTHORITATIVE, "answer, not authoritative", (address(1),))
REFERS = Said(Form.REFERRAL, "referral", (rrset(APP, NS, 60, [ROWAN]),))
OWN_CUT = answer(rrset(APP, NS, 300, [ROWAN]))
OTHER_CUT = answer(rrset(APP, NS, 300, [parse_name("ns9.rowan.test.")]))


def weight(
    name: Name, rtype: int, old: list[Said], new: list[Said], followed: tuple[Said, ...] = ()
) -> ForVisitors | None:
    said = {f"old{number}": each for number, each in enumerate(old)} | {
        f"new{number}": each for number, each in enumerate(new)
    }
    sides = [tuple(each for each in said if each.startswith(side)) for side in ("old", "new")]
    found = answer_differences(Heard(ZONE, sides[0], sides[1], {(name, rtype): said}, {(name, rtype): followed}))
    return found[0].weight if found else None


@pytest.mark.parametrize(
    ("name", "rtype", "old", "new", "meant"),
    [
        (ORIGIN, A, [answer(address(1))], [answer(address(1))], None),
        (ORIGIN, A, [FAILS], [FAILS], ForVisitors.UNKNOWN),
        (ORIGIN, A, [FAILS], [answer(address(1))], ForVisitors.BETTER),
        (ORIGIN, A, [answer(address(1))], [answer(address(2))], ForVisitors.WORSE),
        (ORIGIN, A, [answer(address(1))], [answer(address(1)), answer(address(2))], ForVisitors.WORSE),
        (ORIGIN, A, [answer(address(1))], [answer(address(1, 300))], ForVisitors.EQUAL),
        (ORIGIN, A, [answer(address(1)), answer(address(2))], [answer(address(2))], ForVisitors.DISAGREES),
        (ORIGIN, A, [answer(address(1))], [NO_DATA], ForVisitors.WORSE),
        (ORIGIN, A, [NO_DATA], [answer(address(1))], ForVisitors.BETTER),
        (ORIGIN, A, [answer(address(1))], [FAILS], ForVisitors.WORSE),
        (ORIGIN, A, [SILENT], [SILENT], ForVisitors.UNKNOWN),
        (ORIGIN, A, [SILENT, answer(address(1))], [answer(address(1))], None),
        (ORIGIN, A, [answer(address(1))], [SILENT], ForVisitors.UNKNOWN),
        (ORIGIN, A, [answer(address(1))], [SECOND_HAND], ForVisitors.WORSE),
        (ORIGIN, A, [SECOND_HAND], [answer(address(1))], ForVisitors.BETTER),
        (SITES, A, [NO_DATA, NO_NAME], [NO_DATA], ForVisitors.DISAGREES),
        (SITES, A, [NO_DATA, NO_NAME], [NO_NAME], ForVisitors.DISAGREES),
        (SITES, A, [NO_NAME], [NO_DATA], ForVisitors.BETTER),
        (SITES, A, [NO_DATA], [NO_NAME], ForVisitors.EQUAL),
        (ORIGIN, A, [NO_DATA], [NO_NAME], ForVisitors.WORSE),
        (below("nothing", ORIGIN), A, [NO_DATA], [NO_NAME], ForVisitors.EQUAL),
        (below("legatum-no-such-name", ORIGIN), A, [NO_NAME], [answer(address(9))], ForVisitors.WORSE),
        (
            ORIGIN,
            SOA,
            [answer(rrset(ORIGIN, SOA, 60, [b"a"]))],
            [answer(rrset(ORIGIN, SOA, 60, [b"b"]))],
            ForVisitors.OWN,
        ),
        (ORIGIN, NS, [answer(rrset(ORIGIN, NS, 60, [ROWAN]))], [FAILS], ForVisitors.WORSE),
        (WWW, A, [answer(ALIAS, address(1))], [answer(address(1, name=WWW))], ForVisitors.EQUAL),
        (WWW, A, [answer(ALIAS, address(1))], [answer(address(2, name=WWW))], ForVisitors.WORSE),
        (WWW, A, [answer(ALIAS)], [answer(address(1, name=WWW))], ForVisitors.WORSE),
        (APP, NS, [REFERS], [OWN_CUT], ForVisitors.EQUAL),
        (APP, NS, [OWN_CUT], [REFERS], ForVisitors.EQUAL),
        (APP, NS, [REFERS], [OTHER_CUT], ForVisitors.WORSE),
        (APP, A, [REFERS], [answer(address(7, name=APP))], ForVisitors.UNKNOWN),  # nobody followed the referral
    ],
)
def test_what_a_difference_means(
    name: Name, rtype: int, old: list[Said], new: list[Said], meant: ForVisitors | None
) -> None:
    found = weight(name, rtype, old, new)
    if meant is None:
        assert found in (None, ForVisitors.OWN)
    else:
        assert found == meant


def test_a_sub_zone_that_one_side_serves_is_held_against_those_whom_the_referral_names() -> None:
    seven, eight = answer(address(7, name=APP)), answer(address(8, name=APP))
    assert weight(APP, A, [REFERS], [seven], (seven, seven)) == ForVisitors.EQUAL
    assert weight(APP, A, [REFERS], [seven], (seven, SILENT)) == ForVisitors.EQUAL
    assert weight(APP, A, [REFERS], [seven], (eight, eight)) == ForVisitors.WORSE
    assert weight(APP, A, [REFERS], [seven], (SILENT,)) == ForVisitors.UNKNOWN


def test_what_a_zone_is_asked_for_and_judged_by_is_its_own() -> None:
    asked = questions_about(ZONE)
    assert (APP, NS) in asked and (WWW, CNAME) in asked and not any(rtype in (DNSKEY, RRSIG) for _, rtype in asked)
    chain = [
        rrset(WWW, CNAME, 60, [ORIGIN]),
        address(1),
        address(9, name=parse_name("www.elsewhere.test.")),
        address(9, name=below("x", APP)),
    ]
    assert {each.name for each in OfZone(ZONE)(chain)} == {WWW, ORIGIN}


def test_contents_are_weighed_the_same_way() -> None:
    one, other, late = address(1), address(2), address(1, 300)
    weights = {
        (one, None): ForVisitors.WORSE,
        (None, one): ForVisitors.BETTER,
        (one, other): ForVisitors.WORSE,
        (one, late): ForVisitors.EQUAL,
    }
    for (left, right), meant in weights.items():
        assert (
            Difference(ORIGIN, A, left, right).weight == meant
            and Difference(ORIGIN, A, left, right, True).weight == ForVisitors.OWN
        )
