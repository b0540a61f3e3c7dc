"""Where a name is to lead to: its target as it is now."""

from legatum.core.moves.kinds.site import Alias, beside
from legatum.core.moves.wishes import Wishes
from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import BadInput, GateShut
from legatum.core.zones.zone import Zone
from legatum.work.gathering.flatten import addresses_of_target, looks_at_target
from legatum.work.memory import tracked_in
from legatum.work.run_context import RunContext


async def aliases(context: RunContext, wish: Wishes, zone: Zone) -> tuple[Alias, ...]:
    """Those wished for; with the addresses of the target where no alias may stand. Raises :class:`BadInput`, and
    :class:`OutsideFault` for a target that leads nowhere; :class:`GateShut` for one that cannot be followed."""
    found = []
    for name, target in wish.aliases.items():
        if name == target:
            raise BadInput(f"{name_text(name)} cannot lead to itself", "name another one")
        addresses = await addresses_of_target(context, target, zone)
        if beside(zone, name):
            await _require_steady(context, name, target, zone)
        tracked = (name, target) in tracked_in(context, wish.domain)
        found.append(Alias(name, target, tuple(addresses) if beside(zone, name) else (), tracked))
    return tuple(found)


async def _require_steady(context: RunContext, name: Name, target: Name, zone: Zone) -> None:
    """Where addresses are to be followed they must not be others with every question."""
    looks = await looks_at_target(context, target, zone)
    if len(set(looks)) > 1:
        seen = " and ".join(", ".join(sorted(each)) for each in dict.fromkeys(looks))
        raise GateShut(
            f"{name_text(target)} gives other addresses from one question to the next ({seen}): nobody could "
            "follow them at "
            f"{name_text(name)}, where no alias may stand",
            "lead a name of its own there, such as www, or give addresses that its owner says will last: "
            "--replace OLD=NEW",
        )
