"""The chains of 2,000 signed domains, two servers on two addresses each, against bare signature checks on the same
keys."""

import statistics
import time
from collections.abc import Iterator

from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec

from bench.figure import Figure
from bench.fleet import survey_of
from bench.world import bench_world, nsd_program
from legatum.core.records.name import parse_name
from legatum.practice.signing.keyring import zone_key

_DOMAINS, _ROUNDS = 2_000, 3
_SIGNATURES = 4 * 2 + 2  # over keys and SOA of each of four addresses, over the NS set of each of two servers


def figures() -> Iterator[Figure]:
    if nsd_program() is None:
        yield Figure("chain survey of 2,000 signed domains", "-", "needs Debian's nsd", 0.0, "≥ 0.33")
        return
    with bench_world(_DOMAINS, signed=True) as world:
        names = [line.strip() for line in world.names.read_text().splitlines()]
        rounds = []
        for _ in range(_ROUNDS):
            bare, run = _bare(names), survey_of(world, "--signed")
            assert run["valid"] >= 0.99 * _DOMAINS, run
            rounds.append((run["domains"] * _SIGNATURES / run["seconds"], bare))
    ratios = [ours / bare for ours, bare in rounds]
    ours, bare = rounds[ratios.index(statistics.median_low(ratios))]
    what = f"chain survey of {_DOMAINS} signed domains, signatures judged a second, all else included"
    yield Figure(what, f"{ours:,.0f}", f"{bare:,.0f}, bare checks", ours / bare, "≥ 0.33")


def _bare(names: list[str]) -> float:
    """Signatures a second, one of each domain's key."""
    made = []
    for name in names:
        private = zone_key("bench", parse_name(name + "."), 0, 13).private
        assert isinstance(private, ec.EllipticCurvePrivateKey)
        made.append((private.public_key(), private.sign(name.encode(), ec.ECDSA(hashes.SHA256())), name.encode()))
    began = time.perf_counter()
    for key, signature, data in made:
        key.verify(signature, data, ec.ECDSA(hashes.SHA256()))
    return len(made) / (time.perf_counter() - began)
