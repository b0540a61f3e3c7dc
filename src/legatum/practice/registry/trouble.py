"""Faults on demand: what registries do on bad days, to be tried before it happens."""

from dataclasses import dataclass


@dataclass
class Trouble:
    """``slow``: seconds before each answer. ``drop``: a verb at whose command the connection drops, the command carried
    out, or not where ``unheard``. ``refuse``: a verb that is refused, with ``code``. ``times``: how often it drops or
    refuses yet."""

    slow: float = 0.0
    drop: str = ""
    unheard: bool = False
    refuse: str = ""
    code: int = 2400
    times: int = 1

    def drops(self, verb: str, op: str = "") -> bool:
        """Whether it does so now. ``op``: of a transfer, a poll or a restoration; ``transfer request`` strikes at that
        alone."""
        return self._strikes(self.drop, verb, op)

    def refuses(self, verb: str, op: str = "") -> bool:
        return self._strikes(self.refuse, verb, op)

    def _strikes(self, at: str, verb: str, op: str) -> bool:
        if at not in (verb, f"{verb} {op}") or self.times < 1:
            return False
        self.times -= 1
        return True
