"""One RRset changed as a person says it: what would be lost without a word, and what a shell takes apart."""

import pytest

from legatum.core.records.address import address_rdata
from legatum.core.records.name import parse_name
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import A, parse_type
from legatum.core.running.fault import BadInput
from legatum.core.zones.answering import ServedZone, answer_from
from legatum.core.zones.changing.amendment import Amendment, amended, losses
from legatum.core.zones.changing.hidden import hidden_from_wildcards
from legatum.core.zones.masterfile import parse_master

DOMAIN = parse_name("kilnandclay.example.")
ZONE = parse_master(
    """
@ 3600 SOA ns1.alder.test. hostmaster.alder.test. 7 14400 3600 1209600 1800
@ 3600 NS ns1.alder.test.
@ 3600 MX 10 mail
@ 3600 TXT "v=spf1 mx -all"
@ 3600 TXT "site=1"
@ 3600 CAA 0 issue "authority.example"
_dmarc 3600 TXT "v=DMARC1; p=reject"
mail 3600 A 198.51.100.25
note 3600 TXT "open"
""",
    DOMAIN, "typed",
)  # fmt: skip


@pytest.mark.parametrize(
    ("name", "rtype", "way", "data", "lost"),
    [
        ("@", "TXT", "set", ("site=2",), ["the SPF record of kilnandclay.example"]),
        ("@", "TXT", "set", ("v=spf1 mx a -all",), []),
        ("@", "TXT", "add", ("site=2",), []),
        ("@", "TXT", "clear", (), []),  # said
        ("_dmarc", "TXT", "set", ("site=2",), ["the DMARC record of _dmarc.kilnandclay.example"]),
        ("@", "MX", "set", ("20 other",), ["MX 10 mail.kilnandclay.example. of kilnandclay.example"]),
        ("@", "CAA", "set", ('0 issue "other.example"',), ['CAA 0 issue "authority.example" of kilnandclay.example']),
        (
            "mail",
            "A",
            "clear",
            (),
            ["the last address of mail.kilnandclay.example, to which kilnandclay.example MX leads"],
        ),
        ("mail", "A", "set", ("198.51.100.26",), []),
        ("note", "TXT", "set", ("closed",), []),
    ],
)
def test_what_would_be_missed(name: str, rtype: str, way: str, data: tuple[str, ...], lost: list[str]) -> None:
    owner = DOMAIN if name == "@" else parse_name(f"{name}.kilnandclay.example.")
    amendment = Amendment(owner, parse_type(rtype), way, data)
    assert losses(ZONE, amended(ZONE, amendment), amendment) == lost


def test_a_text_that_the_shell_took_apart_is_asked_about() -> None:
    note = parse_name("note.kilnandclay.example.")
    with pytest.raises(BadInput, match="one text or 2") as seen:
        amended(ZONE, Amendment(note, parse_type("TXT"), "set", ("hello", "world")))
    assert "one: 'hello world'" in seen.value.remedy
    for data in (("hello world",), ('"hello"', '"world"'), ("a=1", "b=2")):
        changed = amended(ZONE, Amendment(note, parse_type("TXT"), "set", data)).get(note, parse_type("TXT"))
        assert changed is not None and len(changed.rdatas) == len(data)


@pytest.mark.parametrize(
    ("name", "rtype", "data", "hidden"),
    [
        ("shop.preview", "TXT", "seen", "shop.preview"),
        ("shop.preview", "A", "198.51.100.26", ""),
        ("shop.preview", "CNAME", "mail", ""),
        ("a.shop.preview", "A", "198.51.100.26", "shop.preview"),  # which is there now, and empty
        ("a.open", "TXT", "seen", ""),  # the wildcard stands elsewhere
        ("preview", "TXT", "seen", ""),
        ("*.preview", "TXT", "seen", ""),
        ("_check.preview", "TXT", "seen", ""),  # nobody comes for its address
    ],
)
def test_a_name_of_its_own_takes_itself_out_of_a_wildcard(name: str, rtype: str, data: str, hidden: str) -> None:
    names = [parse_name(f"{each}.kilnandclay.example.") for each in ("*.preview", "open")]
    before = ZONE.with_rrsets(rrset(each, A, 3600, [address_rdata("198.51.100.81")]) for each in names)
    after = amended(before, Amendment(parse_name(f"{name}.kilnandclay.example."), parse_type(rtype), "set", (data,)))
    found = hidden_from_wildcards(before, after)
    assert [*found] == ([parse_name(f"{hidden}.kilnandclay.example.")] if hidden else [])
    for each in found:  # and so it is answered
        had, has = (answer_from({DOMAIN: ServedZone(zone)}, each, A).answer for zone in (before, after))
        assert had and not has and "loses A, which *.preview.kilnandclay.example gives it now" in found[each]
