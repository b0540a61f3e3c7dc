"""A list surveyed in parts, with what each survey rests on, whole for each domain: also of what the domains of a part
share."""

from collections.abc import AsyncGenerator, AsyncIterator

from legatum.core.records.name import Name
from legatum.net.keeping.recording import recording_text
from legatum.work.fleet.looks import WANTED, Fleet, Result, each_of
from legatum.work.verdicts.recorded import own_recordings
from legatum.work.verdicts.survey import Survey

PART = 50  # domains: what they share is asked once for so many


async def with_evidence(
    fleet: Fleet, domains: AsyncIterator[Name], depth: str, left_out: str
) -> AsyncGenerator[tuple[list[Result], str], None]:
    """Part by part: the results, and the evidence of those that could be judged, as it stands in a file. ``depth``:
    that of the fleet, by name; ``left_out``: what such a look does not speak of."""
    while part := [domain async for domain in _some(domains)]:
        with fleet.context.collecting() as evidence:
            results = [result async for result in fleet.afresh().results(each_of(part))]
        surveys = [
            Survey(each.observation, each.findings, evidence, not_looked_at=(left_out,))
            for each in results
            if each.observation is not None
        ]
        yield (
            results,
            "".join(map(recording_text, await own_recordings(fleet.context, WANTED, surveys, evidence, depth))),
        )


async def _some(domains: AsyncIterator[Name]) -> AsyncIterator[Name]:
    count = 0
    while count < PART and (domain := await anext(domains, None)) is not None:
        count += 1
        yield domain
