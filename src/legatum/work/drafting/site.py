"""Where a name is to lead to: its target as it is now."""

from legatum.core.fault import BadInput
from legatum.core.moves.kinds.site import Alias, beside
from legatum.core.moves.wishes import Wishes
from legatum.core.records.name import name_text
from legatum.core.zones.zone import Zone
from legatum.work.gathering.flatten import addresses_of_target
from legatum.work.memory import tracked_in
from legatum.work.outside import Outside


async def aliases(outside: Outside, wish: Wishes, zone: Zone) -> tuple[Alias, ...]:
    """Those wished for; with the addresses of the target where no alias may stand. Raises :class:`BadInput`, and
    :class:`OutsideFault` for a target that     leads nowhere."""
    found = []
    for name, target in wish.aliases.items():
        if name == target:
            raise BadInput(f"{name_text(name)} cannot lead to itself", "name another one")
        addresses = await addresses_of_target(outside, target, zone)
        tracked = (name, target) in tracked_in(outside, wish.domain)
        found.append(Alias(name, target, tuple(addresses) if beside(zone, name) else (), tracked))
    return tuple(found)
