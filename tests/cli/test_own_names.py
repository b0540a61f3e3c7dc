"""A provider that writes the NS set of every zone itself, with a TTL of its own: led there and back, twice, without
anybody noticing."""

from pathlib import Path

from legatum.demo.world_thread import WorldThread
from tests.cli.desk import DOMAIN, Desk

FORTH = (
    "move",
    "draft",
    DOMAIN,
    "--from",
    "alder",
    "--to",
    "birch",
    "--registrar",
    "flint",
    "--publishing",
    "4m",
    "--force",
)
BACK = (
    "move",
    "draft",
    DOMAIN,
    "--from",
    "birch",
    "--to",
    "alder",
    "--registrar",
    "flint",
    "--publishing",
    "4m",
    "--force",
)


def test_there_and_back_where_the_ns_set_is_theirs(tmp_path: Path) -> None:
    with WorldThread(tmp_path / "world") as practice:
        desk = Desk(practice)
        text = desk.settings.read_text()
        desk.settings.write_text(text.replace("[providers.birch]\n", '[providers.birch]\napex_ns = "theirs"\n'))
        desk.receive()
        for again in (False, True):
            desk.done(*FORTH)
            assert "Raise the TTL" not in desk.said
            desk.done("move", "rehearse", DOMAIN)
            desk.done("move", "advance", DOMAIN, "--yes", "--wait", "--until", "confirm")
            desk.done("confirm", DOMAIN, "--to", "birch", "--registrar", "flint", "--no-resolvers")
            if not again:
                desk.done("move", "retreat", DOMAIN, "--yes", "--wait")
                assert "birch goes on serving the zone" in desk.said and "with a TTL of 86400" in desk.said
            else:
                desk.done("move", "advance", DOMAIN, "--yes", "--wait")
                desk.done(*BACK)
                assert "End the service at birch" not in desk.said
                desk.done("move", "advance", DOMAIN, "--yes", "--wait")
            desk.done("confirm", DOMAIN, "--to", "alder", "--registrar", "flint", "--no-resolvers")
        assert not desk.failures
