"""Effects as data: what a step changes, or looks at. Each says what places give from then on, and how it is taken back.

One description serves five ends: the preview, the rehearsal, the doing, the proof, and the way back. Each kind is one
file here, and one in :mod:`legatum.work.moves.effects` that looks whether it is there, does it and proves it.
"""

from legatum.core.moves.effects.delegation import Delegated, Published
from legatum.core.moves.effects.effect import Effect
from legatum.core.moves.effects.gave import Gave
from legatum.core.moves.effects.hosts import HostSet
from legatum.core.moves.effects.looks import Agreed, Answered, Gathered, Ready, Same, Tracked
from legatum.core.moves.effects.records import Records, RRsetChange
from legatum.core.moves.effects.registration import (
    CodeChanged,
    Fit,
    Followed,
    Kept,
    RegistrantChanged,
    Settled,
    Statuses,
    Transfer,
)
from legatum.core.moves.effects.secondary import Joined, Released
from legatum.core.moves.effects.service import ServiceBegun, ServiceEnded
from legatum.core.moves.effects.signing import DsChanged, DsPublished, Signed, Trusted
from legatum.core.moves.effects.zones import ZoneEnded, ZoneMade

EFFECTS: dict[str, type[Effect]] = {
    "records": Records,
    "zone-made": ZoneMade,
    "zone-ended": ZoneEnded,
    "delegated": Delegated,
    "published": Published,
    "host": HostSet,
    "ds-set": DsChanged,
    "ds-published": DsPublished,
    "signed": Signed,
    "trusted": Trusted,
    "joined": Joined,
    "released": Released,
    "service-ended": ServiceEnded,
    "service-begun": ServiceBegun,
    "gathered": Gathered,
    "same": Same,
    "ready": Ready,
    "agreed": Agreed,
    "answered": Answered,
    "tracked": Tracked,
    "statuses": Statuses,
    "transfer": Transfer,
    "fit": Fit,
    "followed": Followed,
    "kept": Kept,
    "registrant": RegistrantChanged,
    "code": CodeChanged,
    "settled": Settled,
    "gave": Gave,
}
"""How each kind is called in move files."""

__all__ = [
    "EFFECTS",
    "Agreed",
    "Answered",
    "CodeChanged",
    "Delegated",
    "DsChanged",
    "DsPublished",
    "Effect",
    "Fit",
    "Followed",
    "Gathered",
    "Gave",
    "HostSet",
    "Joined",
    "Kept",
    "Published",
    "RRsetChange",
    "Ready",
    "Records",
    "RegistrantChanged",
    "Released",
    "Same",
    "ServiceBegun",
    "ServiceEnded",
    "Settled",
    "Signed",
    "Statuses",
    "Tracked",
    "Transfer",
    "Trusted",
    "ZoneEnded",
    "ZoneMade",
]  # fmt: skip
