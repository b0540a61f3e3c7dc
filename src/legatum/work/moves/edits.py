"""Edits that somebody makes at one side while a zone is served in two places: found by what each side was when it was made, told, and made
at the other side too where that is wanted."""

from collections.abc import Collection, Mapping, Sequence
from pathlib import Path

from legatum.core.moves.effects import Change, Effect, Records
from legatum.core.moves.place import Key
from legatum.core.records.name import Name, name_text
from legatum.core.zones.difference import Edit, difference_text, edits_between
from legatum.core.zones.masterlines import master_text
from legatum.core.zones.zone import Zone
from legatum.net.file import write_whole
from legatum.work.gathering.contents import read_master_file
from legatum.work.moves.job import Job, Refusal
from legatum.work.moves.readiness import edit_remedy


def edits_told(job: Job, zone: Name, now: Mapping[str, Zone], meant: Collection[Key]) -> list[Refusal]:
    """A refusal for each edit that only one side has, with what makes it at the other. ``now``: the places that serve the zone; ``meant``:
    RRsets that the plan itself makes different."""
    kept = {place: file for place in now if (file := _kept(job, place, zone)) is not None}
    if len(kept) < len(now):
        return []
    before = {place: read_master_file(file, zone).zone for place, file in kept.items()}
    found = [each for each in edits_between(before, now) if (each.change.name, each.change.rtype) not in meant]
    return [_told(job, zone, each, now) for each in found]


def _kept(job: Job, place: str, zone: Name) -> Path | None:
    """What the place was when it was made, or gathered."""
    return next((file for file in (job.made_file(place, zone), job.file_of(zone)) if file.exists()), None)


def _told(job: Job, zone: Name, edit: Edit, now: Mapping[str, Zone]) -> Refusal:
    change = edit.change
    reason = f"edited at {edit.place} only: {difference_text(change)}"
    remedy = edit_remedy(job, edit.place, edit.others[0])
    if edit.clashes:
        return Refusal(f"{reason}; and edited otherwise at {', '.join(edit.others)}", remedy)
    made = [Records(other, zone, (Change(now[other].get(change.name, change.rtype), change.right),)) for other in edit.others]
    return Refusal(reason, remedy, mended=tuple(made))


async def keep_as_it_is(job: Job, effects: Sequence[Effect]) -> None:
    """After an edit was made everywhere: what the zones are now is what later edits are known by."""
    for zone in dict.fromkeys(each.zone for each in effects if isinstance(each, Records)):
        for place in job.scene.serving(zone):
            file = _kept(job, place, zone)
            if file is not None:
                comment = f"{name_text(zone)} at {place}, after an edit that was made everywhere"
                write_whole(file, master_text(await job.zone(place, zone), [comment]))
