"""Tables of records as people paste them: twenty layouts of the same records, and what must not be guessed silently."""

import pytest

from legatum.core.records.name import parse_name
from legatum.core.running.fault import BadInput
from legatum.core.zones.pasted.reading import Pasted, read_pasted
from legatum.core.zones.pasted.words import parse_ttl

DOMAIN = parse_name("kilnandclay.example.")
SPF = '"v=spf1 mx ip4:203.0.113.25 -all"'
RECORDS = {
    "@ 3600 A 198.51.100.80",
    "www 3600 CNAME kilnandclay.example.",
    "@ 3600 MX 10 mail.kilnandclay.example.",
    "@ 3600 MX 20 mx2.ferrytimes.example.",
    f"@ 3600 TXT {SPF}",
}
FORMS = {
    "tabs, a heading, type first": """Type\tName\tContent\tPriority\tTTL
A\t@\t198.51.100.80\t\tAuto
CNAME\twww\tkilnandclay.example\t\tAuto
MX\t@\tmail.kilnandclay.example\t10\tAuto
MX\t@\tmx2.ferrytimes.example\t20\tAuto
TXT\t@\tv=spf1 mx ip4:203.0.113.25 -all\t\tAuto
""",
    "tabs, no heading, name first, blank apex": """\tA\t198.51.100.80\t3600
www\tCNAME\tkilnandclay.example.\t3600
\tMX\t10 mail\t3600
\tMX\t20 mx2.ferrytimes.example.\t3600
\tTXT\t"v=spf1 mx ip4:203.0.113.25 -all"\t3600
""",
    "whole names with final dots": """kilnandclay.example.\t3600\tIN\tA\t198.51.100.80
www.kilnandclay.example.\t3600\tIN\tCNAME\tkilnandclay.example.
kilnandclay.example.\t3600\tIN\tMX\t10 mail.kilnandclay.example.
kilnandclay.example.\t3600\tIN\tMX\t20 mx2.ferrytimes.example.
kilnandclay.example.\t3600\tIN\tTXT\t"v=spf1 mx ip4:203.0.113.25 -all"
""",
    "whole names without final dots, in capitals": """
KILNANDCLAY.EXAMPLE  A      198.51.100.80                    1 Hour
WWW.KILNANDCLAY.EXAMPLE  CNAME  KILNANDCLAY.EXAMPLE             1 Hour
KILNANDCLAY.EXAMPLE  MX     10 MAIL.KILNANDCLAY.EXAMPLE     1 Hour
KILNANDCLAY.EXAMPLE  MX     20 MX2.FERRYTIMES.EXAMPLE       1 Hour
KILNANDCLAY.EXAMPLE  TXT    v=spf1 mx ip4:203.0.113.25 -all  1 Hour
""",
    "commas with quotation marks": """"Host Name","Record Type","TTL (seconds)","MX Priority","Points to"
"@","A","3600","","198.51.100.80"
"www","CNAME","3600","","@"
"@","MX","3600","10","mail.kilnandclay.example."
"@","MX","3600","20","mx2.ferrytimes.example."
"@","TXT","3600","","v=spf1 mx ip4:203.0.113.25 -all"
""",
    "commas with quotation marks doubled": """name,type,value,ttl
@,A,198.51.100.80,3600
www,CNAME,kilnandclay.example.,3600
@,MX,10 mail,3600
@,MX,20 mx2.ferrytimes.example.,3600
@,TXT,\"\"\"v=spf1 mx ip4:203.0.113.25 -all\"\"\",3600
""",
    "semicolons, no heading": """A;@;198.51.100.80;3600
CNAME;www;kilnandclay.example.;3600
MX;@;10 mail;3600
MX;@;20 mx2.ferrytimes.example.;3600
TXT;@;v=spf1 mx ip4:203.0.113.25 -all;3600
""",
    "bars and a rule": """| Host | Type | Value | Prio | TTL |
|------|:----:|-------|------|-----|
| @ | A | 198.51.100.80 | - | 1h |
| www | CNAME | kilnandclay.example. | - | 1h |
| @ | MX | mail | 10 | 1h |
| @ | MX | mx2.ferrytimes.example. | 20 | 1h |
| @ | TXT | "v=spf1 mx ip4:203.0.113.25 -all" | - | 1h |
""",
    "several spaces, value first": """Data                             Record   Host   Pref
198.51.100.80                    A        @      0
kilnandclay.example.             CNAME    www    0
mail.kilnandclay.example.        MX       @      10
mx2.ferrytimes.example.          MX       @      20
v=spf1 mx ip4:203.0.113.25 -all  TXT      @      0
""".replace("Record ", "Type   "),
    "one space": """@ A 198.51.100.80
www CNAME kilnandclay.example.
@ MX 10 mail
@ MX mx2.ferrytimes.example. 20
@ TXT v=spf1 mx ip4:203.0.113.25 -all
""",
    "one space, TTLs and classes": """@ 3600 IN A 198.51.100.80
www 3600 IN CNAME @
@ 3600 IN MX 10 mail
@ 3600 IN MX 20 mx2.ferrytimes.example.
@ 3600 IN TXT "v=spf1 mx ip4:203.0.113.25 -all"
""",
    "one space, type first": """A @ 198.51.100.80 3600
CNAME www kilnandclay.example. 3600
MX @ 10 mail 3600
MX @ 20 mx2.ferrytimes.example. 3600
TXT @ "v=spf1 mx ip4:203.0.113.25 -all" 3600
""",
    "a line a cell": """A
@
198.51.100.80
1 hour
CNAME
www
kilnandclay.example.
1 hour
MX
@
10 mail
1 hour
MX
@
20 mx2.ferrytimes.example.
1 hour
TXT
@
v=spf1 mx ip4:203.0.113.25 -all
1 hour
""",
    "a line a cell, with its heading": """Host
Type
Points to
A lifetime
@
A
198.51.100.80
60 min
www
CNAME
@
60 min
@
MX
10 mail
60 min
@
MX
20 mx2.ferrytimes.example.
60 min
@
TXT
v=spf1 mx ip4:203.0.113.25 -all
60 min
""".replace("A lifetime", "TTL"),
    "a field a line": """Type: A
Name: @
Value: 198.51.100.80
TTL: 3600

Type: CNAME
Name: www
Value: kilnandclay.example.
TTL: 3600

Type: MX
Name: @
Value: mail
Priority: 10
TTL: 3600

Type: MX
Name: @
Value: mx2.ferrytimes.example.
Priority: 20
TTL: 3600

Type: TXT
Name: @
Value: v=spf1 mx ip4:203.0.113.25 -all
TTL: 3600
""",
    "a mail that answers": """> @      A      198.51.100.80
> www    CNAME  kilnandclay.example.
> @      MX     10 mail
> @      MX     20 mx2.ferrytimes.example.
> @      TXT    “v=spf1 mx ip4:203.0.113.25 -all”
""",
    "with states, numbers and buttons": """1\tA\t@\t198.51.100.80\tactive\t1 h\tEdit
2\tCNAME\twww\tkilnandclay.example.\tactive\t1 h\tEdit
3\tMX\t@\t10 mail\tactive\t1 h\tEdit
4\tMX\t@\t20 mx2.ferrytimes.example.\tactive\t1 h\tEdit
5\tTXT\t@\tv=spf1 mx ip4:203.0.113.25 -all\tactive\t1 h\tEdit
""",
    "columns that tell nothing of a record": """ID\tName\tType\tLast changed\tData\tTTL
a1\t@\tA\t2031-03-01\t198.51.100.80\t3600
a2\twww\tCNAME\t2031-03-01\tkilnandclay.example.\t3600
a3\t@\tMX\t2031-03-02\t10 mail\t3600
a4\t@\tMX\t2031-03-02\t20 mx2.ferrytimes.example.\t3600
a5\t@\tTXT\t2031-03-02\t"v=spf1 mx ip4:203.0.113.25 -all"\t3600
""",
    "hard spaces and no apex sign": """Subdomain\u00a0 \u00a0Type\u00a0 \u00a0Target\u00a0 \u00a0Priority
(root)\u00a0 \u00a0A\u00a0 \u00a0198.51.100.80\u00a0 \u00a0-
www\u00a0 \u00a0CNAME\u00a0 \u00a0kilnandclay.example.\u00a0 \u00a0-
(root)\u00a0 \u00a0MX\u00a0 \u00a0mail\u00a0 \u00a010
(root)\u00a0 \u00a0MX\u00a0 \u00a0mx2.ferrytimes.example.\u00a0 \u00a020
(root)\u00a0 \u00a0TXT\u00a0 \u00a0v=spf1 mx ip4:203.0.113.25 -all\u00a0 \u00a0-
""",
    "texts in pieces": """@\tA\t198.51.100.80\t1 hour
www\tCNAME\tkilnandclay.example.\t1 hour
@\tMX\t10 mail\t1 hour
@\tMX\t20 mx2.ferrytimes.example.\t1 hour
@\tTXT\t"v=spf1 mx ip4:203.0.113.25" " -all"\t1 hour
""",
}


def understood(pasted: Pasted) -> set[str]:
    return {text for each in pasted.rows if (text := each.text(DOMAIN))}


def said(pasted: Pasted) -> str:
    return "\n".join(f"{each.row.line}: {text}" for each in pasted.rows for text in (*each.doubts, each.fault) if text)


@pytest.mark.parametrize("form", FORMS)
def test_the_same_records_in_every_layout(form: str) -> None:
    pasted = read_pasted(FORMS[form], DOMAIN)
    assert understood(pasted) == RECORDS, (pasted.layout, said(pasted))
    assert not pasted.faults and len(pasted.rrsets) == 4


def test_there_are_twenty_of_them() -> None:
    assert len(FORMS) >= 20


@pytest.mark.parametrize(
    ("row", "text"),
    [
        ("_imaps._tcp\tSRV\t0 1 993 mail", "_imaps._tcp 3600 SRV 0 1 993 mail.kilnandclay.example."),
        ("_sip._tcp\tSRV\t0 0 0 .", "_sip._tcp 3600 SRV 0 0 0 ."),
        ("@\tCAA\t0 issue authority.test", '@ 3600 CAA 0 issue "authority.test"'),
        ('@\tCAA\t0 issuewild ";"', '@ 3600 CAA 0 issuewild ";"'),
        ("*\tA\t198.51.100.83", "* 3600 A 198.51.100.83"),
        ("mail\tAAAA\t2001:DB8:0::25", "mail 3600 AAAA 2001:db8::25"),
        ("_443._tcp\tTLSA\t3 1 1 " + "ab" * 32, "_443._tcp 3600 TLSA 3 1 1 " + "ab" * 32),
        ("odd\tTYPE731\t\\# 4 0a0b0c0d", "odd 3600 TYPE731 \\# 4 0a0b0c0d"),
        ('@\tTXT\tk=v; with a "mark" in it', '@ 3600 TXT "k=v; with a \\"mark\\" in it"'),
        ("@\tTXT\t" + "a" * 300, '@ 3600 TXT "' + "a" * 255 + '" "' + "a" * 45 + '"'),
        ("bücher\tA\t198.51.100.80", "xn--bcher-kva 3600 A 198.51.100.80"),
    ],
)
def test_single_kinds(row: str, text: str) -> None:
    pasted = read_pasted(f"www\tA\t198.51.100.80\n{row}\n", DOMAIN)
    assert text in understood(pasted), (understood(pasted), said(pasted))


def test_services_in_columns_of_their_own() -> None:
    text = "Service\tProtocol\tName\tType\tPriority\tWeight\tPort\tTarget\n"
    text += "_imaps\t_tcp\t@\tSRV\t0\t1\t993\tmail\nsip\ttls\tcalls\tSRV\t5\t0\t5061\t@\n"
    assert understood(read_pasted(text, DOMAIN)) == {
        "_imaps._tcp 3600 SRV 0 1 993 mail.kilnandclay.example.",
        "_sip._tls.calls 3600 SRV 5 0 5061 kilnandclay.example.",
    }


@pytest.mark.parametrize(
    ("row", "says"),
    [
        (
            "@\tNS\tns1.other.example",
            "ns1.other.example has no final dot: taken as the whole name, not as ns1.other.example.kilnandclay",
        ),
        ("old\tCNAME\tshops.other.example", "shops.other.example has no final dot"),
        ("@\tMX\t5 mx.other.example", "mx.other.example has no final dot"),
        ("@\tSPF\tv=spf1 -all", "taken as TXT"),
        ("@\tALIAS\tsite.other.example.", "an alias that the provider follows"),
        ("old\tREDIRECT\thttps://kilnandclay.example/", "left out: a redirect is a service of the provider's"),
        ("old\tPARKING\t-", "left out: a parking page"),
        ("www\tA\t198.51.100.80", "the same record as in line 1"),
    ],
)
def test_each_doubt_is_told_with_its_line(row: str, says: str) -> None:
    pasted = read_pasted(f"www\tA\t198.51.100.80\n{row}\n", DOMAIN)
    assert not pasted.faults and f"2: {says}" in said(pasted), said(pasted)


def test_a_ttl_that_is_left_to_the_provider_is_told() -> None:
    pasted = read_pasted(
        "Name\tType\tValue\tTTL\nwww\tA\t198.51.100.80\tAuto\nshop\tA\t198.51.100.80\t5 min\n", DOMAIN, 7200
    )
    assert understood(pasted) == {
        "www 7200 A 198.51.100.80",
        "shop 300 A 198.51.100.80",
    } and "2: TTL Auto: 7200 taken" in said(pasted)


def test_of_ttls_that_differ_the_least_counts() -> None:
    pasted = read_pasted("@\tA\t198.51.100.80\t1 hour\n@\tA\t198.51.100.81\t5 min\n", DOMAIN)
    assert [(each.ttl, len(each.rdatas)) for each in pasted.rrsets] == [
        (300, 2)
    ] and "2: TTL 300 here and 3600 in line 1" in said(pasted)


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ("@\tTXT\tv=DKIM1; k=rsa; p=MIGfMA0GCSqGSIb3…", "was cut short"),
        ("@\tTXT\tv=DKIM1; k=rsa; p=MIGfMA0GCSqGSIb3...", "was cut short"),
        ("shop\tA\t198.51.100", "is no address"),
        ("shop\tA\t", "it has no value"),
        ("www.other.example.\tA\t198.51.100.80", "is not in the zone"),
        ("@\tMX\tmail", "1 number and a host expected"),
        ("_sip._tcp\tSRV\t1 5060 mail", "3 numbers and a host expected"),
        ("@\tCAA\tauthority.test", "flags, tag and value expected"),
        ("shop\tA\t198.51.100.80\tsoon", "is no TTL"),
        ("a b\tA\t198.51.100.80", "cannot stand in it"),
    ],
)
def test_what_cannot_be_is_a_fault_with_its_line(row: str, says: str) -> None:
    pasted = read_pasted(f"Name\tType\tValue\tTTL\nwww\tA\t198.51.100.80\t1h\n{row}\n", DOMAIN)
    (fault,) = pasted.faults
    assert fault.row.line == 3 and says in fault.fault and understood(pasted) == {"www 3600 A 198.51.100.80"}


def test_rows_that_contradict_each_other_are_neither() -> None:
    pasted = read_pasted(
        "@\tA\t198.51.100.80\nwww\tA\t198.51.100.80\nwww\tCNAME\t@\nshop\tCNAME\t@\nshop\tCNAME\twww\n", DOMAIN
    )
    assert understood(pasted) == {"@ 3600 A 198.51.100.80"}
    assert [each.row.line for each in pasted.faults] == [2, 3, 4, 5] and "lines 2, 3" in pasted.faults[0].fault


@pytest.mark.parametrize(
    "text",
    ["", "\n\n", "Dear all,\nplease move our domain.\n", "a,b,c\n1,2,3\n", "Type\tName\tValue\n", "\t\t\n", "A\n"],
)
def test_what_is_no_table_says_so(text: str) -> None:
    with pytest.raises(BadInput, match="no table of records"):
        read_pasted(text, DOMAIN)


@pytest.mark.parametrize(
    ("text", "seconds"),
    [
        ("3600", 3600),
        ("1 hour", 3600),
        ("1h", 3600),
        ("60 Minutes", 3600),
        ("1/2 hour", 1800),
        ("half an hour", 1800),
        ("an hour", 3600),
        ("1 day", 86400),
        ("2 days, 1 hour", 176400),
        ("1.5 hours", 5400),
        ("5 min.", 300),
        ("30 s", 30),
        ("1 w", 604800),
        ("Auto", None),
        ("Automatic", None),
        ("default", None),
        ("", None),
        ("-", None),
    ],
)
def test_ttls_as_words(text: str, seconds: int | None) -> None:
    assert parse_ttl(text) == seconds


@pytest.mark.parametrize("text", ["soon", "1 fortnight", "one", "hour", "-1", "1 hour ago"])
def test_words_that_are_no_ttl(text: str) -> None:
    with pytest.raises(BadInput):
        parse_ttl(text)
