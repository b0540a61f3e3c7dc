"""What a survey takes in beside the delegation. Light, as commands make one before the first question goes out."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from legatum.core.records.name import Name


@dataclass(frozen=True)
class Wanted:
    """``former``: addresses of servers that answered before a switch, with their names; ``change_at``: when a change of
    the NS set is planned, in seconds since 1970; ``transfer``: whether the domain is to go to another registrar.
    """

    resolvers: bool = True
    rdap: bool = True
    former: "Mapping[str, Name]" = field(default_factory=dict)
    change_at: float | None = None
    transfer: bool = False
