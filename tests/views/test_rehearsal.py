"""A rehearsal as a document, for other checkers: what is remembered beside the present is not what a place gives from
then on."""

from legatum.core.memory.copies import HeldCopy
from legatum.core.moves.recall import recalled
from legatum.core.records.name import parse_name
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import A
from legatum.core.rehearsal import rehearse
from legatum.views.moves.rehearse import rehearsal_document
from tests.core.moves.drawn import DOMAIN, ZONE, plan

WWW = parse_name("www.kilnandclay.example.")


def test_what_is_remembered_leaves_what_a_place_gives_as_it_is() -> None:
    runbook = plan("ttl")
    now, given = runbook.drafted, ZONE.get(WWW, A)
    assert given is not None
    longer = rrset(WWW, A, 2 * given.ttl, given.rdatas)
    copy = HeldCopy("alder", WWW, A, longer.ttl, longer, now - 50, now - 10, True)
    known = recalled(runbook, {}, {DOMAIN: [copy]}, now)
    assert len(known.past) == len(runbook.past) + 1
    plain, beside = (rehearsal_document(rehearse(each, {}, now), ZONE) for each in (runbook, known))
    assert beside.versions == plain.versions and beside.addresses == plain.addresses
