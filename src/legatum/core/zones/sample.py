"""What of a zone was found by asking for names one by one: a sample, and the names that it leads to."""

from dataclasses import dataclass, field

from legatum.core.records.name import Name, ancestors, below, is_under, parse_name
from legatum.core.records.rrset import RRset, names_in, strings_of
from legatum.core.records.rrtype import TXT
from legatum.core.running.fault import BadInput


@dataclass
class Sample:
    """``by_list``, ``by_records``: names that exist, by what led to them; ``empty``: names that exist without the data
    asked for, so that something may lie there or below; ``wildcards``: names under which everything exists."""

    origin: Name
    rrsets: dict[tuple[Name, int], RRset] = field(default_factory=dict)
    names: set[Name] = field(default_factory=set)
    by_list: set[Name] = field(default_factory=set)
    by_records: set[Name] = field(default_factory=set)
    empty: set[Name] = field(default_factory=set)
    wildcards: set[Name] = field(default_factory=set)
    unanswered: int = 0

    def led_to(self) -> set[Name]:
        """Names of the zone that records hold: targets, and those in SPF texts."""
        led: set[Name] = set()
        for rrset in list(self.rrsets.values()):
            for rdata in rrset.rdatas:
                led.update(name for name in names_in(rrset.rtype, rdata) if is_under(name, self.origin))
                if rrset.rtype == TXT:
                    led |= self._in_text(b"".join(strings_of(rdata)).decode("latin-1"))
        return led - {self.origin}

    def _in_text(self, text: str) -> set[Name]:
        found = set()
        if text.startswith("v=spf1"):
            for word in text.split():
                host = word.lstrip("+-~?").partition(":")[2].partition("/")[0]
                if host and word.lstrip("+-~?").partition(":")[0] in ("a", "mx", "include", "exists"):
                    try:
                        name = parse_name(host + ".")
                    except BadInput:
                        continue
                    if is_under(name, self.origin):
                        found.add(name)
        return found

    def made_up(self, found: RRset) -> bool:
        """What a wildcard says for any name is no name of its own."""
        for under in ancestors(found.name)[1:]:
            if under in self.wildcards:
                star = self.rrsets.get((below("*", under), found.rtype))
                return star is not None and star.rdatas == found.rdatas
        return False
