"""What mail needs: SPF (RFC 7208), DKIM (RFC 6376), DMARC (RFC 7489), and the MX set."""

import re
from collections.abc import Iterable, Iterator, Sequence

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.lint.contents import ZoneContents
from legatum.core.records.name import ROOT, Name, is_under, labels_of, name_text
from legatum.core.records.rrset import strings_of, targets
from legatum.core.records.rrtype import MX, TXT

_SPF_TYPE = 99
_TERM = re.compile(
    r"[+?~-]?(?:all|(?:include|exists):\S+|(?:a|mx)(?::[^\s/]+)?(?:/\d{1,2})?(?://\d{1,3})?|ptr(?::\S+)?"
    r"|ip4:\d+\.\d+\.\d+\.\d+(?:/\d{1,2})?|ip6:[0-9a-f:.]+(?:/\d{1,3})?)|(?:redirect|exp)=\S+|[a-z][\w.-]*=\S*",
    re.IGNORECASE,
)
_LOOKUP = re.compile(r"[+?~-]?(?:include:|exists:|a(?=$|[:/])|mx(?=$|[:/])|ptr)|redirect=", re.IGNORECASE)
_MOST_LOOKUPS = 10
_LONGEST_RECORD = 450


def _whole(rdata: bytes) -> str:
    """A record's strings run together, as mail servers read them."""
    return b"".join(strings_of(rdata)).decode("latin-1")


def _beginning(rdatas: Iterable[bytes], begin: bytes) -> list[str]:
    """The texts that begin so, as a word."""
    found = [_whole(rdata) for rdata in rdatas if rdata[1 : 1 + len(begin)].lower() == begin]
    return [text for text in found if text[len(begin) : len(begin) + 1] in ("", " ", ";")]


def _spf(contents: ZoneContents) -> Iterator[tuple[list[str], Sequence[Name]]]:
    """SPF records that stand together, and the names at which they do."""
    return ((found, names) for rdatas, names in contents.texts.items() if (found := _beginning(rdatas, b"v=spf1")))


def _at(names: Iterable[Name], told: str = "") -> Iterator[Occurrence]:
    for name in names:
        text = name_text(name)
        yield Occurrence(f"{text}: {told}" if told else text, (), text)


@finding(
    "spf-records-several", Severity.ERROR, "Several SPF records at one name",
    why="With two of them receivers treat both as broken: mail of this domain is refused or marked.",
    remedy="Make one of them: all mechanisms in a row, one `all` at the end.",
    standard="RFC 7208 s4.5",
)  # fmt: skip
def spf_records_several(contents: ZoneContents) -> Iterator[Occurrence]:
    for found, names in _spf(contents):
        if len(found) > 1:
            yield from _at(names, f"{len(found)} of them")


@finding(
    "spf-strings-run-together", Severity.ERROR, "An SPF record in several strings without blanks between them",
    why="Receivers run the strings of a text together: `v=spf1` and `mx` become `v=spf1mx`, which is no SPF record.",
    remedy="Put the whole text between one pair of quotation marks.",
    standard="RFC 7208 s3.3",
)  # fmt: skip
def spf_strings_run_together(contents: ZoneContents) -> Iterator[Occurrence]:
    for rdatas, names in contents.texts.items():
        for first, *rest in map(strings_of, rdatas):
            if first.lower() == b"v=spf1" and rest and not rest[0].startswith(b" "):
                yield from _at(names, b"".join([first, *rest]).decode("latin-1"))


@finding(
    "spf-word-unknown", Severity.ERROR, "An SPF record has a word that receivers do not understand",
    why="One such word makes the whole record void: receivers check mail of this domain no longer.",
    remedy="Mend the word; mechanisms are all, include, a, mx, ip4, ip6, exists.",
    standard="RFC 7208 s4.6",
)  # fmt: skip
def spf_word_unknown(contents: ZoneContents) -> Iterator[Occurrence]:
    for found, names in _spf(contents):
        for word in (word for text in found for word in text.split()[1:]):
            if not _TERM.fullmatch(word):
                yield from _at(names, word)


@finding(
    "spf-lookups-many", Severity.WARNING, "An SPF record leads to more than ten look-ups",
    why="Receivers stop at ten and treat the record as broken.",
    remedy="Replace `include`, `a` and `mx` by addresses where you can, and take out services that are no longer used.",
    standard="RFC 7208 s4.6.4",
)  # fmt: skip
def spf_lookups_many(contents: ZoneContents) -> Iterator[Occurrence]:
    for found, names in _spf(contents):
        count = max(sum(bool(_LOOKUP.match(word)) for word in text.split()[1:]) for text in found)
        if count > _MOST_LOOKUPS:
            yield from _at(names, f"{count}, those of what it includes not counted")


@finding(
    "spf-allows-everybody", Severity.WARNING, "An SPF record allows everybody to send",
    why="Anybody can send mail in this domain's name, and receivers are told that it is right.",
    remedy="End the record with `-all` or `~all`.",
    standard="RFC 7208 s5.1",
)  # fmt: skip
def spf_allows_everybody(contents: ZoneContents) -> Iterator[Occurrence]:
    for found, names in _spf(contents):
        if any(word.lower() in ("all", "+all") for text in found for word in text.split()[1:]):
            yield from _at(names)


@finding(
    "spf-ends-early", Severity.NOTICE, "Words stand after `all` in an SPF record",
    why="Everything after `all` is ignored: the services named there are not allowed to send.",
    remedy="Put `all` at the end.",
    standard="RFC 7208 s5.1",
)  # fmt: skip
def spf_ends_early(contents: ZoneContents) -> Iterator[Occurrence]:
    for found, names in _spf(contents):
        for text in found:
            words = [word.lower() for word in text.split()[1:]]
            ends = [at for at, word in enumerate(words) if word.lstrip("+?~-") == "all"]
            if ends and any("=" not in word for word in words[ends[0] + 1 :]):
                yield from _at(names, " ".join(words[ends[0] + 1 :]))


@finding(
    "spf-in-old-type", Severity.NOTICE, "SPF stands in the record type that was given up",
    why="Receivers read SPF from TXT records only; one that stands in the old type alone does nothing.",
    remedy="Put the text into a TXT record and take the old one out.",
    standard="RFC 7208 s3.1",
)  # fmt: skip
def spf_in_old_type(contents: ZoneContents) -> Iterator[Occurrence]:
    for rrset in contents.of(_SPF_TYPE):
        yield Occurrence(name_text(rrset.name), (), name_text(rrset.name))


@finding(
    "mail-without-spf",
    Severity.NOTICE,
    "A domain with mail says nothing about who may send for it",
    why=(
        "Without SPF many receivers distrust its mail; it is often left behind in a move, because nobody "
        "sees it missing."
    ),
    remedy="Ask the mail service for its SPF text and add it as a TXT record.",
    standard="RFC 7208 s3",
)
def mail_without_spf(contents: ZoneContents) -> Iterator[Occurrence]:
    exchange = contents.zone.get(contents.origin, MX)
    text = contents.zone.get(contents.origin, TXT)
    if exchange and targets(exchange) != (ROOT,) and not (text and _beginning(text.rdatas, b"v=spf1")):
        yield Occurrence(name_text(contents.origin), (), name_text(contents.origin))


@finding(
    "null-mx-not-alone", Severity.WARNING, "“Takes no mail” stands beside mail servers",
    why="An MX of preference 0 to the root says that the domain takes no mail; beside others senders do as they like.",
    remedy="Keep the one or the others.",
    standard="RFC 7505 s3",
)  # fmt: skip
def null_mx_not_alone(contents: ZoneContents) -> Iterator[Occurrence]:
    for rrset in contents.of(MX):
        if len(rrset.rdatas) > 1 and any(rdata[2:] == ROOT for rdata in rrset.rdatas):
            yield Occurrence(name_text(rrset.name), (), name_text(rrset.name))


@finding(
    "dmarc-malformed",
    Severity.WARNING,
    "A DMARC record that receivers cannot read",
    why=(
        "It must begin with v=DMARC1 and then p=none, quarantine or reject, and be the only one; else there "
        "is no policy at all."
    ),
    remedy="Write one record such as `v=DMARC1; p=none; rua=mailto:…`.",
    standard="RFC 7489 s6.3",
)
def dmarc_malformed(contents: ZoneContents) -> Iterator[Occurrence]:
    for rdatas, names in contents.texts.items():
        found = _beginning(rdatas, b"v=dmarc1")
        policies = [re.search(r";\s*p\s*=\s*(\w+)", text, re.IGNORECASE) for text in found]
        if len(found) != 1 or policies[0] is None or policies[0][1].lower() not in ("none", "quarantine", "reject"):
            yield from _at(name for name in names if name.startswith(b"\6_dmarc"))


@finding(
    "dmarc-misplaced", Severity.NOTICE, "A DMARC record at a name where nobody looks",
    why="Receivers ask for `_dmarc` in front of the domain and nowhere else.",
    remedy="Move the record to `_dmarc`.",
    standard="RFC 7489 s6.1",
)  # fmt: skip
def dmarc_misplaced(contents: ZoneContents) -> Iterator[Occurrence]:
    for rdatas, names in contents.texts.items():
        if _beginning(rdatas, b"v=dmarc1"):
            yield from _at(name for name in names if not {b"_dmarc", b"_report"} & set(labels_of(name)))


@finding(
    "dkim-malformed",
    Severity.WARNING,
    "A mail signature's key that receivers cannot read",
    why=(
        "Mail signed with it fails its check. Mostly the text was cut off or pasted with blanks or quotation "
        "marks in it."
    ),
    remedy="Copy the record anew from the mail service; long text goes in several quoted pieces of 255 at most.",
    standard="RFC 6376 s3.6.1",
)
def dkim_malformed(contents: ZoneContents) -> Iterator[Occurrence]:
    for rdatas, names in contents.texts.items():
        selectors = [name for name in names if name.find(b"\x0a_domainkey") > 0]
        if selectors:
            for text in map(_whole, rdatas):
                tags = dict(part.strip().split("=", 1) for part in text.split(";") if "=" in part)
                key = re.sub(r"\s", "", tags.get("p", "!"))
                if not re.fullmatch(r"[A-Za-z0-9+/]*={0,2}", key) or len(key) % 4:
                    yield from _at(selectors)


@finding(
    "text-quoted-twice",
    Severity.WARNING,
    "A text with quotation marks in it at both ends",
    why=(
        "The marks were pasted into a form that adds its own: the text begins with a mark, not with the word "
        "that is looked for."
    ),
    remedy="Enter the text without the marks.",
    standard="RFC 1035 s5.1",
)
def text_quoted_twice(contents: ZoneContents) -> Iterator[Occurrence]:
    for rdatas, names in contents.texts.items():
        for text in map(_whole, rdatas):
            if len(text) > 2 and text[0] == text[-1] == '"':
                yield from _at(names)


@finding(
    "set-large",
    Severity.NOTICE,
    "A set of records is too large for one answer over UDP",
    why=(
        "Every question for it is asked twice, again over TCP, and fails where TCP is blocked. At the apex "
        "old verification texts pile up."
    ),
    remedy="Take out what is no longer needed.",
    standard="RFC 7208 s3.4, RFC 6891 s6.2.5",
)
def set_large(contents: ZoneContents) -> Iterator[Occurrence]:
    for rrset in contents.zone.unsorted:
        if len(rrset.rdatas) > 4 or len(rrset.rdatas[0]) > _LONGEST_RECORD:
            size = sum(len(rdata) + 12 for rdata in rrset.rdatas)
            if size > 1100 and is_under(rrset.name, contents.origin):
                yield Occurrence(f"{name_text(rrset.name)} {rrset.type_text}: {size} octets", (), name_text(rrset.name))
