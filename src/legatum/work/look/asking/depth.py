"""How much a look asks."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Depth:
    """``everywhere``: all that can be asked of every address of every server, else what finds the faults that hurt.

    ``each``: questions to one of the domain's own server addresses; ``total``: about one domain, None for no limit;
    ``keys``: the DS set of every parent address and the keys of every own one; ``servers``: addresses of own servers
    that are asked; ``again``: of those that stay silent, how many are asked once more at a time, until none of so many
    answers.
    """

    everywhere: bool
    each: int
    total: int | None = None
    keys: bool = False
    servers: int = 64
    again: int = 4


FULL = Depth(everywhere=True, each=8)
BRIEF = Depth(everywhere=False, each=6, total=12, servers=16, again=2)
SIGNED = Depth(everywhere=False, each=6, total=14, keys=True, servers=16, again=2)
DEPTHS = {"full": FULL, "brief": BRIEF, "signed": SIGNED}
MOST_HOSTS = 32  # NS names that are looked up: whoever hands out more gets a finding, not more questions
