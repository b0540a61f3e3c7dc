"""What a look did not cover, in words: whoever says *healthy* or *confirmed* says this too."""

from legatum.core.observation.observation import Observation
from legatum.core.records.name import name_text

ELSEWHERE = "how it looks from other networks"


def unseen(observation: Observation, chain: bool = False) -> list[str]:
    """What the observation does not show, of all that a verdict on the domain might be taken to speak of. ``chain``:
    the one above it was looked at beside."""
    left = []
    if not observation.resolvers:
        left.append("what resolvers say (none was asked)")
    elif observation.ds and not any(view.authenticated for view in observation.resolvers):
        left.append("what validating resolvers say (none of the settings' was seen to validate)")
    if observation.ds and not chain:
        left.append(f"the chain of trust above {name_text(observation.parent_zone)}")
    if not observation.registrations:
        left.append(f"the registration ({observation.rdap_why or 'no account and no RDAP'})")
    left += [f"what {address} says" for address in _passed_over(observation)]
    left += observation.left_out
    return [*left, *observation.not_known, ELSEWHERE]


def _passed_over(observation: Observation) -> list[str]:
    """Addresses of name servers that were not asked although they could be: too many."""
    asked = {view.address for view in observation.servers}
    named = {name for name in (*observation.delegation, *observation.own_ns) if name in observation.hosts}
    every = frozenset().union(*(observation.addresses[name] for name in named))
    return sorted(each for each in every - asked if ("IPv6" if ":" in each else "IPv4") in observation.families)
