"""What is wished for and may not be meant: told when it is drafted, and no reason to refuse it."""

from collections.abc import Iterator

from legatum.core.duration import duration_text, parse_duration
from legatum.core.moves.drawing import Drawing
from legatum.core.moves.wishes import Wishes
from legatum.core.records.name import name_text
from legatum.core.records.rrtype import type_text
from legatum.core.timetable.soa import oddities
from legatum.core.zones.changing.publication import somebody_elses
from legatum.core.zones.completeness import Degree
from legatum.work.outside import Outside

_SHORT = 60  # seconds: with less, resolvers ask again for nearly every visitor


def unusual(outside: Outside, wish: Wishes, drawing: Drawing) -> Iterator[str]:
    """In words."""
    if wish.to and drawing.place(wish.to).signs and drawing.keys.get((drawing.main, drawing.domain)) is None:
        whole = name_text(wish.domain)
        yield f"{wish.to} signs by itself: {whole} becomes signed there, which counts only once `legatum ds submit {whole}` is done"
    if wish.to and (wish.soa is None or wish.soa.mailbox is None):
        kept = somebody_elses(wish.domain, drawing.contents.soa, tuple(drawing.place(wish.to).servers))
        if "mailbox" in kept:
            yield f"the SOA record keeps its mailbox, {name_text(kept['mailbox'])}; another: --soa mailbox=NAME"
    servers = outside.provider(drawing.main).servers if drawing.main in outside.providers else ()
    asked = outside.gathered.get((servers, wish.domain))
    if asked is not None and asked.degree != Degree.COMPLETE:
        whole = name_text(wish.domain)
        yield (
            f"the records of {whole} were gathered by asking ({asked.because}): a name that nobody thought of is not among them, "
            f"and would be lost. `legatum gather {whole} --names FILE`, with the names of the list in the account there, makes them "
            "known; then draft again"
        )
    for (name, rtype), ttl in wish.ttls.items():
        if ttl < _SHORT:
            what = f"{name_text(name)} {type_text(rtype)}"
            yield f"{what} with a TTL of {duration_text(ttl)}: servers are asked for nearly every visitor, and a failure is felt at once"
    if wish.soa is not None:
        timers = {each: value for each in wish.soa.timers if (value := getattr(wish.soa, each)) is not None}
        fields = drawing.contents.soa._replace(**timers)
        house = {str(timer): parse_duration(text) for timer, text in outside.settings.house.soa.items()}
        for odd in oddities(fields, drawing.contents.soa_rrset.ttl, house):
            if odd.timer in timers:
                yield odd.words
